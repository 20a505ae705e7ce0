import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useAct } from "../../exchange/act";
import { asks } from "../../exchange/asks";
import { api, got, type Schemas, say } from "../../exchange/client";
import { KeyCap, useKeys } from "../../frame/keys";
import { useLeft } from "../../frame/left";
import { Panel } from "../../kit/Panel";
import { SearchList } from "../../kit/SearchList";
import { Wrong } from "../../kit/Wrong";
import { type Note, useChange } from "../useNote";

type View = Schemas["ChargesView"];
type Line = Schemas["Charge"];
type Facts = Schemas["Facts"];

/** Charges derives the level of the visit from what is documented, element by element,
 * and holds the services with the diagnoses that justify them. */
export function Charges({ note, close }: { note: Note; close: () => void }) {
  const client = useQueryClient();
  const asked = asks.charges(note.id, note.listVersion, note.diagnoses.map((d) => d.said.version).join());
  const charges = useQuery({ ...asked, placeholderData: (before) => before });
  const view = charges.data;
  const { act, error } = useAct(`note ${note.id}`);
  const list = useChange(note.id);
  const [query, setQuery] = useLeft(
    `service ${note.id}`,
    () => "",
    (q) => q.trim() === "",
  );
  // Changes follow one another, each on what the one before left.
  async function change(send: (v: View) => Promise<View>) {
    const done = await act(async () => {
      const v = client.getQueryData(asked.queryKey);
      if (!v) return undefined;
      const next = await send(v);
      client.setQueryData(asked.queryKey, next);
      client.setQueryData(asks.note(note.id).queryKey, (n) => n && { ...n, charged: next.lines.length > 0 });
      return next;
    });
    if (done === null) await client.invalidateQueries({ queryKey: ["charges", note.id] });
  }
  const params = { path: { id: note.id } };
  const put = (to: (v: View) => { lines?: Line[]; facts?: Partial<Facts> }) =>
    change((v) => {
      const c = to(v);
      const body = { lines: c.lines ?? v.lines, facts: { ...v.facts, ...c.facts }, was: v.version };
      return got(api.PUT("/api/notes/{id}/charges", { params, body }));
    });
  // The server proposes its diagnoses and modifiers.
  const add = (code: string) => {
    void change((v) => got(api.POST("/api/notes/{id}/charges", { params, body: { code, was: v.version } })));
    setQuery((now) => (now === query ? "" : now)); // what was typed meanwhile is the next search
  };
  useKeys([
    { key: "Escape", label: "Leave the charges", run: close },
    ...(view?.level.code
      ? [{ key: "Ctrl+Enter", label: `Charge ${view.level.code}, which the note supports`, run: () => add(view.level.code) }]
      : []),
  ]);
  if (charges.error) return <Wrong says={say(charges.error)} />;
  if (!view)
    return (
      <Panel label="Charges" title="Charges" leave={close}>
        <p className="small">Reading the charges…</p>
      </Panel>
    );
  const charged = view.lines.some((l) => l.code === view.level.code);
  const number = (label: string, k: "externalNotes" | "results" | "orders" | "minutes", shown?: number) => (
    <div className="flex items-baseline gap-2">
      <Count value={view.facts[k]} label={label} set={(n) => put(() => ({ facts: { [k]: n } }))} />
      {label}
      {shown !== undefined && shown !== view.facts[k] && (
        <button type="button" className="plain py-0" onClick={() => put(() => ({ facts: { [k]: shown } }))}>
          chart shows {shown}
        </button>
      )}
    </div>
  );
  const box = (label: string, k: "new" | "historian" | "interpretation" | "discussion") => (
    <label className="flex items-baseline gap-2">
      <input
        type="checkbox"
        className="size-4 accent-kelp"
        checked={view.facts[k]}
        onChange={(e) => {
          const on = e.target.checked;
          put(() => ({ facts: { [k]: on } }));
        }}
      />
      {label}
    </label>
  );
  return (
    <Panel label="Charges" title="Charges" leave={close}>
      <section aria-label="Level of the visit" className="mb-4 border-l-[3px] border-kelp pl-3">
        <p className="text-read font-semibold">{view.level.code || "No level yet"}</p>
        <p>{view.level.says}</p>
        <ul className="mt-1">
          {view.level.elements.map((e) => (
            <li key={e.name}>
              <span className="text-faded">{e.name}:</span> <span className="font-semibold">{e.weight}</span>, {e.why}
            </li>
          ))}
        </ul>
        {view.level.code && !charged && (
          <button type="button" className="choice mt-1.5 py-0.5" onClick={() => add(view.level.code)}>
            Charge {view.level.code} <KeyCap k="Ctrl+Enter" />
          </button>
        )}
      </section>
      {view.problems.map((p) => (
        <label key={p.code} className="mb-1 block">
          <span className="block">
            <span className="font-mono text-small">{p.code}</span> {p.title}{" "}
            {p.why && <span className="text-faded">· {p.why}</span>}
          </span>
          <select
            aria-label={`What ${p.code} is`}
            className="w-full rounded-[3px] border border-edge bg-leaf px-1 py-0.5"
            value={p.kind}
            onChange={(e) => {
              const kind = e.target.value; // taken now: the change itself waits its turn
              put((v) => ({
                facts: {
                  problems: v.problems.map((x) => ({
                    code: x.code,
                    kind: (x.code === p.code ? kind : x.kind) as Facts["problems"][number]["kind"],
                  })),
                },
              }));
            }}
          >
            <option value="not rated yet">not rated yet</option>
            {view.kinds.map((k) => (
              <option key={k.key} value={k.key}>
                {k.words}
              </option>
            ))}
          </select>
        </label>
      ))}
      <label className="mt-2 block">
        <span className="label">Risk of management</span>
        <select
          className="w-full rounded-[3px] border border-edge bg-leaf px-1 py-0.5"
          value={view.facts.risk}
          onChange={(e) => {
            const risk = e.target.value;
            put(() => ({ facts: { risk } }));
          }}
        >
          <option value="">not said yet</option>
          {view.risks.map((r) => (
            <option key={r.key} value={r.key}>
              {r.words}
            </option>
          ))}
        </select>
      </label>
      <fieldset className="mt-2 grid gap-0.5">
        <legend className="label">Data</legend>
        {number("tests ordered", "orders", view.suggested.orders)}
        {number("results reviewed", "results", view.suggested.results)}
        {number("external notes reviewed", "externalNotes")}
        {box("independent historian", "historian")}
        {box("independent interpretation", "interpretation")}
        {box("discussion with an external source", "discussion")}
        {number("minutes on this day", "minutes")}
        {box("new to the practice", "new")}
      </fieldset>
      <h3 className="mt-4 font-sans text-line font-semibold">Services</h3>
      <ul>
        {view.lines.map((l, i) => (
          <li key={`${l.code}${l.modifiers.join()}`} className="border-b border-rule py-1.5">
            <div className="flex items-baseline gap-2">
              <span className="font-mono">{l.code}</span>
              <input
                aria-label={`Modifiers of ${l.code}`}
                className="field w-14 py-0"
                placeholder="mod."
                defaultValue={l.modifiers.join(" ")}
                onBlur={(e) => {
                  const modifiers = e.target.value.toUpperCase().split(/\s+/).filter(Boolean);
                  if (modifiers.join() !== l.modifiers.join())
                    put((v) => ({ lines: v.lines.map((x, k) => (k === i ? { ...x, modifiers } : x)) }));
                }}
              />
              ×
              <Count
                value={l.units}
                label={`Units of ${l.code}`}
                set={(n) => put((v) => ({ lines: v.lines.map((x, k) => (k === i ? { ...x, units: n } : x)) }))}
              />
              <button
                type="button"
                className="plain ml-auto py-0"
                onClick={() => put((v) => ({ lines: v.lines.filter((_, k) => k !== i) }))}
              >
                Take off<span className="sr-only"> {l.code}</span>
              </button>
            </div>
            <div className="mt-1 flex flex-wrap gap-1">
              {view.problems.map((p) => {
                const at = l.pointers.indexOf(p.code);
                return (
                  <button
                    key={p.code}
                    type="button"
                    aria-pressed={at >= 0}
                    aria-label={`${p.code} ${p.title} justifies ${l.code}`}
                    className={`rounded-[3px] border px-1.5 py-0.5 font-mono text-code ${at >= 0 ? "border-ink bg-ink text-leaf" : "border-edge text-faded"}`}
                    onClick={() =>
                      put((v) => ({
                        lines: v.lines.map((x, k) =>
                          k !== i
                            ? x
                            : {
                                ...x,
                                pointers: at >= 0 ? x.pointers.filter((c) => c !== p.code) : [...x.pointers, p.code].slice(0, 4),
                              },
                        ),
                      }))
                    }
                  >
                    {at >= 0 && `${at + 1} `}
                    {p.code}
                  </button>
                );
              })}
            </div>
          </li>
        ))}
      </ul>
      <SearchList
        label="Add a service: words or code"
        query={query}
        setQuery={setQuery}
        search={asks.services}
        hits={(found) => found}
        id={(s) => s.code}
        choose={(s) => add(s.code)}
        none="No such service here."
      >
        {(s) => (
          <>
            <span className="font-mono text-small">{s.code}</span> {s.words}
          </>
        )}
      </SearchList>
      {query.trim() === "" &&
        view.usual.map((s) => (
          <button
            key={s.code}
            type="button"
            className="block w-full py-0.5 text-left hover:bg-kelp-wash"
            onClick={() => add(s.code)}
          >
            <span className="font-mono text-small">{s.code}</span> {s.words}
            <span className="text-faded"> · used here</span>
          </button>
        ))}
      {view.preventive && note.visit.kind.match(/Annual|Well-child/) && !view.lines.some((l) => l.code === view.preventive) && (
        <button type="button" className="plain" onClick={() => add(view.preventive)}>
          Charge {view.preventive}, the preventive visit of this age
        </button>
      )}
      {view.doubts.map((d) => (
        <p key={d} className="margin-note mt-2 border-carried">
          {d}
        </p>
      ))}
      {view.fit.off.length > 0 && (
        <p className="mt-2 text-faded">Kept in the note only, they do not fit on the claim: {view.fit.off.join(", ")}</p>
      )}
      {view.fit.better.length > 0 && (
        <button type="button" className="plain" onClick={() => void list.diagnoses(() => view.fit.better)}>
          Put the diagnoses in the order that keeps every service supported
        </button>
      )}
      <Wrong says={error || list.error} className="mt-2" />
      <p className="small mt-3">{view.source}</p>
    </Panel>
  );
}

// Count is a whole number that is taken when the field is left.
function Count({ value, label, set }: { value: number; label: string; set: (n: number) => void }) {
  const [text, setText] = useState(String(value));
  useEffect(() => setText(String(value)), [value]);
  return (
    <input
      inputMode="numeric"
      aria-label={label}
      className="field inline w-12 py-0 text-right"
      value={text}
      onChange={(e) => setText(e.target.value)}
      onBlur={() => {
        const n = Number(text);
        if (Number.isInteger(n) && n >= 0 && n !== value) set(n);
        else setText(String(value));
      }}
      onKeyDown={(e) => e.key === "Enter" && !e.ctrlKey && e.currentTarget.blur()}
    />
  );
}
