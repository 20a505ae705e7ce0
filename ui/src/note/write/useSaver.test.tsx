// The part that keeps unsaved work: what was typed is on the server, or kept here and sent
// again under the same identifier, whatever the server answers and whenever.
import { act, cleanup, renderHook } from "@testing-library/react";
import { afterEach, beforeEach, expect, test, vi } from "vitest";
import type { Schemas } from "../../exchange/client";

type Put = { text: string; base: number; saveId: string };
type Answer = { version: number; savedAt: string; stale: boolean; now?: Schemas["PartView"] };

class Problem extends Error {
  constructor(
    readonly status: number,
    message = "",
  ) {
    super(message);
  }
}

const server = { puts: [] as Put[], answer: (_: Put): Promise<Answer> => Promise.reject(new Error("not reachable")) };

vi.mock("../../exchange/client", () => ({
  Problem,
  say: (e: Error) => e.message,
  got: (p: Promise<unknown>) => p,
  api: {
    PUT: (_: string, o: { body: Put }) => {
      server.puts.push(o.body);
      return server.answer(o.body);
    },
  },
}));
const me = { id: "maren", draftKey: btoa("0123456789abcdef0123456789abcdef") };
vi.mock("../../session/me", () => ({ useMe: () => me }));

const { useSaver } = await import("./useSaver");
const { keep, recall, sendKept } = await import("./kept");

const part = (version = 0, text = ""): Schemas["PartView"] => ({ part: "plan", text, version, savedAt: "", savedBy: "" });
const accept = (p: Put) => Promise.resolve({ version: p.base + 1, savedAt: "2026-11-23T10:20:30-05:00", stale: false });

// A note of its own for each test: what is kept of one is nobody else's.
const note = () => expect.getState().currentTestName ?? "";

// Sealing runs outside the timers: it is waited for, until nothing of it is under way.
let sealing = 0;
for (const name of ["importKey", "encrypt", "decrypt"] as const) {
  const real = crypto.subtle[name].bind(crypto.subtle) as (...a: unknown[]) => Promise<unknown>;
  vi.spyOn(crypto.subtle, name).mockImplementation((async (...args: unknown[]) => {
    sealing++;
    try {
      return await real(...args);
    } finally {
      sealing--;
    }
  }) as never);
}
const rest = async () => {
  for (let quiet = 0; quiet < 5; quiet = sealing === 0 ? quiet + 1 : 0) await new Promise((r) => setImmediate(r));
};
const heard = vi.fn(); // of what was saved
const pass = (ms: number) =>
  act(async () => {
    await rest();
    await vi.advanceTimersByTimeAsync(ms);
    await rest();
  });

beforeEach(() => {
  vi.useFakeTimers({ toFake: ["setTimeout", "clearTimeout"] });
  localStorage.clear();
  server.puts = [];
  server.answer = accept;
});
afterEach(async () => {
  cleanup();
  await rest(); // what leaving the page set off
  vi.useRealTimers();
});

test("what is typed is saved once the keys rest, and then nothing is kept here", async () => {
  const { result } = renderHook(() => useSaver(note(), part(), heard));
  await pass(0);
  act(() => result.current.type("R"));
  act(() => result.current.type("Rest"));
  await pass(100);
  expect(server.puts).toHaveLength(0);
  expect(localStorage.length).toBe(1);
  expect(JSON.stringify({ ...localStorage })).not.toContain("Rest");
  await pass(400);
  expect(server.puts).toMatchObject([{ text: "Rest", base: 0 }]);
  expect(result.current.status).toBe("Saved 10:20:30");
  expect(localStorage.length).toBe(0);
  expect(heard).toHaveBeenLastCalledWith(expect.objectContaining({ text: "Rest", version: 1 })); // the note shown is brought up to it
});

test("a save without an answer is sent again under its identifier before anything newer", async () => {
  const { result } = renderHook(() => useSaver(note(), part(), heard));
  await pass(0);
  server.answer = () => Promise.reject(new Error("not reachable"));
  act(() => result.current.type("One"));
  await pass(400);
  expect(result.current.status).toBe("Not saved yet: kept in this browser");
  act(() => result.current.type("One and two"));
  await pass(100);
  server.answer = accept;
  await pass(1500);
  await pass(400);
  expect(server.puts.map((p) => p.text)).toEqual(["One", "One", "One and two"]);
  expect(server.puts[1]?.saveId).toBe(server.puts[0]?.saveId);
  expect(server.puts[2]).toMatchObject({ base: 1 });
  expect(server.puts[2]?.saveId).not.toBe(server.puts[0]?.saveId);
  expect(localStorage.length).toBe(0);
});

test("a save that somebody overtook stops, and the chosen text goes on top of theirs", async () => {
  const { result } = renderHook(() => useSaver(note(), part(), heard));
  await pass(0);
  server.answer = () => Promise.resolve({ version: 3, savedAt: "", stale: true, now: part(3, "Theirs") });
  act(() => result.current.type("Mine"));
  await pass(400);
  expect(result.current.two).toMatchObject({ mine: "Mine", now: { text: "Theirs" } });
  act(() => result.current.type("Mine, and more"));
  await pass(2000);
  expect(server.puts).toHaveLength(1);
  server.answer = accept;
  act(() => result.current.settle("Both"));
  await pass(400);
  expect(server.puts[1]).toMatchObject({ text: "Both", base: 3 });
  expect(result.current.two).toBeNull();
});

test("what the server will never take is not sent again", async () => {
  const { result } = renderHook(() => useSaver(note(), part(), heard));
  await pass(0);
  server.answer = () => Promise.reject(new Problem(413, "It is too long."));
  act(() => result.current.type("Long"));
  await pass(5000);
  expect(server.puts).toHaveLength(1);
  expect(result.current.status).toBe("Not saved: It is too long.");
});

test("a locked screen is no refusal: the text waits for the password", async () => {
  const { result } = renderHook(() => useSaver(note(), part(), heard));
  await pass(0);
  server.answer = () => Promise.reject(new Problem(423));
  act(() => result.current.type("Waits"));
  await pass(400);
  expect(localStorage.length).toBe(1);
  server.answer = accept;
  await pass(1500);
  expect(server.puts.map((p) => p.text)).toEqual(["Waits", "Waits"]);
  expect(localStorage.length).toBe(0);
});

test("leaving the page sends the last words without waiting for a rest", async () => {
  const { result, unmount } = renderHook(() => useSaver(note(), part(), heard));
  await pass(0);
  act(() => result.current.type("Last words"));
  unmount();
  await pass(0);
  expect(server.puts).toMatchObject([{ text: "Last words", base: 0 }]);
  expect(localStorage.length).toBe(0);
});

test("what an earlier window could not send is taken up where it stood", async () => {
  await keep(me, { sending: { noteId: note(), part: "plan", text: "Half", base: 0, saveId: "earlier" }, typed: "Half a plan" });
  const { result } = renderHook(() => useSaver(note(), part(), heard));
  await pass(0);
  await pass(400);
  expect(result.current.shown).toEqual({ text: "Half a plan", from: "kept" });
  expect(server.puts[0]).toMatchObject({ text: "Half", saveId: "earlier" });
  expect(server.puts[1]).toMatchObject({ text: "Half a plan", base: 1 });
});

test("somebody else's save is shown only while nothing is unsaved here", async () => {
  const { result, rerender } = renderHook(({ p }) => useSaver(note(), p, heard), { initialProps: { p: part() } });
  await pass(0);
  rerender({ p: part(1, "Theirs") });
  expect(result.current.shown.text).toBe("Theirs");
  act(() => result.current.type("Theirs, and mine"));
  rerender({ p: part(2, "Theirs again") });
  expect(result.current.shown.text).toBe("Theirs");
});

test("signing waits for the last words, and is refused while the server has not got them", async () => {
  const { result } = renderHook(() => useSaver(note(), part(), heard));
  await pass(0);
  act(() => result.current.type("Before signing"));
  const version = result.current.flush();
  await pass(400);
  await expect(version).resolves.toBe(1);
  server.answer = () => Promise.reject(new Error("not reachable"));
  act(() => result.current.type("Before signing, again"));
  const refused = result.current.flush().catch((e: Error) => e.message);
  for (let i = 0; i < 50; i++) await pass(50);
  await expect(refused).resolves.toContain("does not have the last words yet");
});

test("who signs in with another key reads nothing of what is kept", async () => {
  await keep(me, { sending: { noteId: note(), part: "plan", text: "Private", base: 0, saveId: "s" }, typed: "Private" });
  expect((await recall(me, note(), "plan"))?.typed).toBe("Private");
  expect(await recall({ id: "maren", draftKey: btoa("another key of thirty-two bytes!") }, note(), "plan")).toBeNull();
});

test("at the next sign-in everything kept goes out, the newer words after the older", async () => {
  await keep(me, { sending: { noteId: note(), part: "plan", text: "Old", base: 2, saveId: "s" }, typed: "Old and new" });
  await sendKept(me);
  expect(server.puts).toMatchObject([
    { text: "Old", base: 2, saveId: "s" },
    { text: "Old and new", base: 3 },
  ]);
  expect(localStorage.length).toBe(0);
});
