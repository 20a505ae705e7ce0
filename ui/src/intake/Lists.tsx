import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { asks } from "../exchange/asks";
import type { Schemas } from "../exchange/client";
import { KeyCap } from "../frame/keys";
import { day } from "../frame/time";
import { Form, Why } from "../kit/Form";
import type { Acts } from "./useIntake";

type ListView = Schemas["ListView"];

/** List is one list of the chart: its entries, what was stated about it, and a row
 * to add to it. */
export function List({ list: l, acts, patient, k }: { list: ListView; acts: Acts; patient: string; k?: string }) {
  const [adding, setAdding] = useState(false);
  const [ending, setEnding] = useState("");
  return (
    <section aria-label={l.name} className="border-t border-rule py-2">
      <div className="flex flex-wrap items-baseline gap-x-3">
        <h3 className="w-44 font-sans text-line font-semibold">{l.name}</h3>
        <div className="flex flex-1 flex-wrap items-baseline gap-x-3">
          {l.entries.length === 0 && !l.noneKnown && (
            <span className="text-faded">
              {l.reviewed ? "Nothing recorded; nobody stated that there is none." : "Not asked yet: unknown is not none."}
            </span>
          )}
          {l.entries.length === 0 && l.noneKnown && (
            <span>
              {l.none || "None"} <span className="small">stated by {l.noneKnown}</span>
            </span>
          )}
        </div>
        <span className={`small ${l.today ? "text-settled" : ""}`}>
          {l.today ? `✓ reviewed today, ${l.reviewed.split(",")[0]}` : l.reviewed ? `reviewed ${l.reviewed}` : "never reviewed"}
        </span>
      </div>
      <ul>
        {l.entries.map((e) => (
          <li key={e.id} className="group flex flex-wrap items-baseline gap-x-2 py-0.5 pl-2">
            <span>
              <span className="font-semibold">{e.title}</span>
              {e.detail && `, ${e.detail}`}
              {e.since && <span className="text-faded"> · since {day(e.since)}</span>}
              {e.source && <span className="text-faded"> · from the {e.source}</span>}
            </span>
            {ending === e.id ? (
              <Why
                label={`Why ${e.title} ends`}
                word={l.id === "medicines" ? "Stop" : "End"}
                act={(reason) => acts.end(l.id, e.id, reason).then((ok) => ok && setEnding(""))}
                leave={() => setEnding("")}
              />
            ) : (
              <button
                type="button"
                className="plain py-0 text-small"
                aria-label={`${l.id === "medicines" ? "Stop" : "End"} ${e.title}`}
                onClick={() => setEnding(e.id)}
              >
                {l.id === "medicines" ? "Stop…" : "End…"}
              </button>
            )}
          </li>
        ))}
      </ul>
      <div className="flex flex-wrap items-baseline gap-3 pl-2">
        {adding ? (
          <Add list={l} acts={acts} patient={patient} close={() => setAdding(false)} />
        ) : (
          <>
            <button type="button" className="plain py-0 text-aside" onClick={() => setAdding(true)}>
              Add
            </button>
            {l.entries.length === 0 && l.none && !l.noneKnown && (
              <button type="button" className="plain py-0 text-aside" onClick={() => void acts.state([l.id], "none known")}>
                {l.none}
              </button>
            )}
            {!l.today && (
              <button type="button" className="plain py-0 text-aside" onClick={() => void acts.state([l.id], "reviewed")}>
                Reviewed {k && <KeyCap k={k} />}
              </button>
            )}
          </>
        )}
      </div>
    </section>
  );
}

function Add({ list: l, acts, patient, close }: { list: ListView; acts: Acts; patient: string; close: () => void }) {
  const [title, setTitle] = useState(l.choose[0] ?? "");
  const [detail, setDetail] = useState("");
  const [severity, setSeverity] = useState("");
  const [since, setSince] = useState("");
  const first = useRef<HTMLInputElement & HTMLSelectElement>(null);
  useEffect(() => first.current?.focus(), []);
  const found = useQuery({
    ...asks.medicines(patient, title),
    enabled: l.id === "medicines" && title.trim().length > 1,
    placeholderData: (before) => before,
  });
  const exact = found.data?.find((m) => m.name.toLowerCase() === title.trim().toLowerCase());
  async function save() {
    if (await acts.add({ list: l.id, title, detail, severity, since, until: "" })) {
      setTitle(l.choose[0] ?? "");
      setDetail("");
      setSince("");
      setSeverity("");
      first.current?.focus();
    }
  }
  return (
    <Form className="flex w-full flex-wrap items-baseline gap-2 text-aside" act={save} leave={close}>
      {l.choose.length > 0 ? (
        <select
          ref={first}
          aria-label={`${l.name}: ${l.title}`}
          className="rounded-[3px] border border-edge bg-leaf px-1 py-0.5"
          value={title}
          onChange={(e) => setTitle(e.target.value)}
        >
          {l.choose.map((c) => (
            <option key={c}>{c}</option>
          ))}
        </select>
      ) : (
        <input
          ref={first}
          aria-label={`${l.name}: ${l.title}`}
          placeholder={l.title}
          className="field max-w-[220px] py-0.5"
          value={title}
          onChange={(e) => setTitle(e.target.value)}
        />
      )}
      <input
        aria-label={`${l.name}: ${l.detail}`}
        placeholder={l.detail}
        className="field max-w-[220px] py-0.5"
        value={detail}
        onChange={(e) => setDetail(e.target.value)}
      />
      {l.id === "allergies" && (
        <select
          aria-label="Severity"
          className="rounded-[3px] border border-edge bg-leaf px-1 py-0.5"
          value={severity}
          onChange={(e) => setSeverity(e.target.value)}
        >
          {["", "mild", "moderate", "severe"].map((s) => (
            <option key={s} value={s}>
              {s || "severity not known"}
            </option>
          ))}
        </select>
      )}
      <input
        aria-label={`${l.name}: since`}
        placeholder="Since: 2019-03"
        className="field max-w-[110px] py-0.5"
        value={since}
        onChange={(e) => setSince(e.target.value)}
      />
      <button type="submit" className="plain py-0">
        Add <KeyCap k="Enter" />
      </button>
      <button type="button" className="plain py-0" onClick={close}>
        Done
      </button>
      {l.id === "medicines" && found.data && found.data.some((m) => m !== exact) && (
        <div className="flex basis-full flex-wrap gap-1.5">
          {found.data
            .filter((m) => m !== exact)
            .map((m) => (
              <button
                key={m.name}
                type="button"
                className="rounded-[3px] border border-edge px-2 py-0.5 hover:bg-kelp-wash"
                onClick={() => setTitle(m.name)}
              >
                {m.name}
                {m.warnings.some((w) => w.serious) && <span className="font-semibold text-alarm"> ■ allergy</span>}
              </button>
            ))}
        </div>
      )}
      {exact?.warnings.map((w) => (
        <p key={w.says + w.why} role="alert" className={`basis-full ${w.serious ? "font-semibold text-alarm" : "text-carried"}`}>
          {w.serious ? "■ " : w.unknown ? "? " : ""}
          {w.says}: {w.why}.
        </p>
      ))}
    </Form>
  );
}
