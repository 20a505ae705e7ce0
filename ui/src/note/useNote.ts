// Changes of a draft: each is sent, and the note comes back as it is then.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useRef, useState } from "react";
import { api, got, type Schemas, say } from "../exchange/client";
import { useMe } from "../session/session";

export type Note = Schemas["NoteView"];
export type Change = Schemas["FindingChange"];
export type Finding = Schemas["Finding"];
type Answer = Schemas["Answer"];

/** useChange runs changes of a note one after another and shows what came of them. */
export function useChange(noteId: string) {
  const client = useQueryClient();
  const { zone } = useMe();
  const [error, setError] = useState("");
  const [saved, setSaved] = useState("");
  const run = useCallback(
    async (call: Promise<Note>) => {
      try {
        const now = await call;
        client.setQueryData(["note", noteId], now);
        setError("");
        setSaved(`Saved ${new Date().toLocaleTimeString("en-GB", { timeZone: zone })}`);
        return now;
      } catch (e) {
        setError(say(e));
        void client.invalidateQueries({ queryKey: ["note", noteId] });
        return null;
      }
    },
    [client, noteId, zone],
  );
  const path = { path: { id: noteId } };
  // Acts on one note follow one another, each made on what the one before left:
  // two quick keys never overtake each other.
  const queue = useRef<Promise<unknown>>(Promise.resolve());
  const inTurn = <T>(f: (now: Note | undefined) => Promise<T>) => {
    const next = queue.current.then(() => f(client.getQueryData<Note>(["note", noteId])));
    queue.current = next;
    return next;
  };
  return {
    error,
    setError,
    saved,
    run,
    /** findings makes changes; one that names a finding is made on its present version. */
    findings: (changes: Change[]) =>
      inTurn((now) => {
        const was = (c: Change) =>
          now?.findings.find((f) => f.area === c.area && f.system === c.system && f.finding === c.finding)?.version ?? 0;
        const body = { changes: changes.map((c) => ({ ...c, was: c.finding && c.was === undefined ? was(c) : (c.was ?? -1) })) };
        return run(got(api.POST("/api/notes/{id}/findings", { params: path, body })));
      }),
    looked: (refs: string[], decision: "keep" | "change" | "remove", text?: string) =>
      inTurn(() => run(got(api.POST("/api/notes/{id}/looked", { params: path, body: { refs, decision, text } })))),
    /** answer answers a question; values are made from those it has then. */
    answer: (interview: string, link: string, values: (now: Answer[]) => Answer[]) =>
      inTurn((now) => {
        const q = now?.interviews.find((i) => i.id === interview)?.questions.find((q) => q.link === link);
        const body = { interview, link, values: values(q?.values ?? []), was: q?.symptom ? 0 : (q?.version ?? 0) };
        return run(got(api.POST("/api/notes/{id}/answers", { params: path, body })));
      }),
    ask: (interview: string, drop: boolean) =>
      inTurn(() => run(got(api.POST("/api/notes/{id}/interviews", { params: path, body: { interview, drop } })))),
    bring: (lines: string[]) => inTurn(() => run(got(api.POST("/api/notes/{id}/bring", { params: path, body: { lines } })))),
  };
}

/** Act runs changes of a note. */
export type Act = ReturnType<typeof useChange>;

/** useTools are snippets, own words, body systems and interviews, read once. */
export function useTools() {
  return useQuery({
    queryKey: ["writing-tools"],
    queryFn: () => got(api.GET("/api/writing")),
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** The systems of an area, by id. */
export function systemsOf(tools: Schemas["WritingView"] | undefined, area: string) {
  return (area === "review" ? tools?.systems.review : tools?.systems.examination) ?? [];
}
