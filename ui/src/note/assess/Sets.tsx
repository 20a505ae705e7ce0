import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { asks } from "../../exchange/asks";
import { api, got, Problem, type Schemas, say } from "../../exchange/client";
import { KeyCap, useKeys } from "../../frame/keys";
import { Care } from "../../kit/Care";
import { Filter } from "../../kit/Filter";
import { Panel } from "../../kit/Panel";
import { Wrong } from "../../kit/Wrong";
import { useRight } from "../../session/me";
import type { Act, Note } from "../useNote";

type SetView = Schemas["SetView"];

const kinds: Record<string, string> = {
  medicine: "Medicines",
  test: "Tests",
  referral: "Referrals",
  immunization: "Immunizations",
  education: "Education",
  text: "Words",
  "follow-up": "Come back",
};

/** Sets is what usually goes together in the plan of a diagnosis: each part can be left
 * out, and what speaks for care with it stands there before anything is applied. */
export function Sets({ note, act, close }: { note: Note; act: Act; close: () => void }) {
  const sets = useQuery(asks.sets(note.id, note.listVersion));
  const [chosen, setChosen] = useState("");
  const [off, setOff] = useState<string[]>([]);
  const [filter, setFilter] = useState("");
  const [keeping, setKeeping] = useState(false);
  const input = useRef<HTMLInputElement>(null);
  const list = (sets.data ?? []).filter((s) =>
    filter
      .toLowerCase()
      .split(/\s+/)
      .every((w) => s.title.toLowerCase().includes(w)),
  );
  const set = sets.data?.find((s) => s.id === chosen);
  const loaded = sets.isSuccess;
  useEffect(() => {
    if (loaded) input.current?.focus();
  }, [loaded]);
  function open(s: SetView | undefined) {
    if (!s) return;
    setChosen(s.id);
    // A medicine is chosen by a physician, never beforehand; nor what cannot be had.
    setOff(s.parts.filter((p) => p.gone || p.kind === "medicine").map((p) => p.key));
  }
  async function apply() {
    if (!set) return;
    const parts = set.parts.filter((p) => !off.includes(p.key)).map((p) => p.key);
    const done = await act.run(() =>
      got(api.POST("/api/notes/{id}/sets", { params: { path: { id: note.id } }, body: { set: set.id, parts } })),
    );
    if (done) close();
  }
  const back = () => (keeping ? setKeeping(false) : set ? setChosen("") : close());
  useKeys([
    ...(!set && !keeping ? [{ key: "Alt+k", label: "Keep the present plan as a set", run: () => setKeeping(true) }] : []),
    { key: "Escape", label: "Leave the sets", run: back },
    ...(set ? [{ key: "Ctrl+Enter", label: "Apply what is chosen", run: () => void apply() }] : []),
  ]);
  return (
    <Panel
      label="Sets"
      title={keeping ? "The present plan" : set ? set.title : "Sets"}
      leave={back}
      word={set || keeping ? "Other sets" : "Leave"}
    >
      {sets.error && <Wrong says={say(sets.error)} />}
      {keeping && (
        <Keep
          note={note}
          done={() => {
            setKeeping(false);
            void sets.refetch();
          }}
        />
      )}
      {!set && !keeping && (
        <>
          <Filter label="Filter the sets" input={input} value={filter} set={setFilter} first={() => open(list[0])} />
          <ul>
            {list.map((s) => (
              <li key={s.id}>
                <button type="button" className="block w-full py-1 text-left hover:bg-kelp-wash" onClick={() => open(s)}>
                  <span className={s.fits ? "font-semibold" : ""}>{s.title}</span>
                  {s.id.startsWith("mine:") && <span className="text-faded"> · mine</span>}
                  {s.fits && <span className="text-faded"> · for a diagnosis of this visit</span>}
                </button>
              </li>
            ))}
          </ul>
          <button type="button" className="choice mt-3" onClick={() => setKeeping(true)}>
            Keep the present plan as a set <KeyCap k="Alt+k" />
          </button>
        </>
      )}
      {set && !keeping && (
        <>
          {set.warns && <p className="margin-note mb-2 border-carried">{set.warns}</p>}
          <Parts parts={set.parts} off={off} setOff={setOff} />
          <Wrong says={act.error} />
          <button type="button" className="act mt-1" onClick={() => void apply()}>
            Apply <KeyCap k="Ctrl+Enter" />
          </button>
          <p className="small mt-3">
            Words go into the plan, tests into an order that waits for your signature. Nothing is prescribed or sent by a set.
            Source: {set.source}; {set.from}.
          </p>
        </>
      )}
    </Panel>
  );
}

// Parts are the parts of a set by their kind, each to be chosen or left out.
function Parts({
  parts,
  off,
  setOff,
}: {
  parts: SetView["parts"];
  off: string[];
  setOff: (change: (now: string[]) => string[]) => void;
}) {
  return Object.entries(kinds).map(([kind, words]) => {
    const some = parts.filter((p) => p.kind === kind);
    if (some.length === 0) return null;
    return (
      <fieldset key={kind} className="mb-2">
        <legend className="label">{words}</legend>
        {some.map((p) => (
          <div key={p.key}>
            <label className="flex items-baseline gap-2 py-0.5">
              <input
                type="checkbox"
                className="size-4 shrink-0 accent-kelp"
                disabled={p.gone}
                checked={!off.includes(p.key)}
                onChange={(e) => {
                  const on = e.target.checked;
                  setOff((now) => (on ? now.filter((k) => k !== p.key) : [...now, p.key]));
                }}
              />
              <span className={p.gone ? "text-carried" : ""}>{p.words}</span>
            </label>
            {p.warnings.length > 0 && (
              <div className="pl-6">
                <Care warnings={p.warnings} />
              </div>
            )}
          </div>
        ))}
      </fieldset>
    );
  });
}

// Keep keeps the plan as it stands as a set, for oneself or for the clinic.
function Keep({ note, done }: { note: Note; done: () => void }) {
  const mayClinic = useRight("change the clinic's forms");
  const plan = useQuery({
    queryKey: ["plan-as-set", note.id],
    queryFn: () => got(api.GET("/api/notes/{id}/sets/present", { params: { path: { id: note.id } } })),
    staleTime: 0,
    gcTime: 0,
  });
  const [title, setTitle] = useState(note.diagnoses[0]?.title ?? "");
  const [off, setOff] = useState<string[]>([]);
  const [clinic, setClinic] = useState(false);
  const [replace, setReplace] = useState(false);
  const [error, setError] = useState("");
  const parts = plan.data?.parts ?? [];
  async function keep() {
    try {
      await got(
        api.POST("/api/notes/{id}/sets/present", {
          params: { path: { id: note.id } },
          body: { title, parts: parts.filter((p) => !off.includes(p.key)).map((p) => p.key), clinic, replace },
        }),
      );
      done();
    } catch (e) {
      setReplace(e instanceof Problem && e.kind === "exists");
      setError(say(e));
    }
  }
  useKeys([{ key: "Ctrl+Enter", label: "Keep it as a set", run: () => void keep() }]);
  return (
    <>
      <label className="label mb-3 block">
        Title
        <input
          autoFocus
          className="field text-ink"
          value={title}
          onFocus={(e) => e.target.select()}
          onChange={(e) => {
            setTitle(e.target.value);
            setReplace(false);
          }}
        />
      </label>
      {plan.isSuccess && parts.length === 0 && <p className="small">The plan is empty.</p>}
      <Parts parts={parts} off={off} setOff={setOff} />
      {mayClinic && (
        <label className="flex items-center gap-2">
          <input type="checkbox" className="size-4 accent-kelp" checked={clinic} onChange={(e) => setClinic(e.target.checked)} />
          For everybody in the clinic
        </label>
      )}
      <Wrong says={error} className="min-h-[20px]" />
      <button type="button" className="act" disabled={parts.length === 0} onClick={() => void keep()}>
        {replace ? "Put it in its place" : "Keep"} <KeyCap k="Ctrl+Enter" />
      </button>
      <p className="small mt-3">
        A set is for everybody: leave out what is about this patient only. It is for the diagnoses of this visit, and is changed
        under Forms, where its earlier versions stay.
      </p>
    </>
  );
}
