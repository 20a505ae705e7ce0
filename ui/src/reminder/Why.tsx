import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { asks } from "../exchange/asks";
import { type Schemas, say } from "../exchange/client";
import { day } from "../frame/time";
import { Why as Asked } from "../kit/Form";
import { Wrong } from "../kit/Wrong";

/** Why explains a reminder: its rule, its source, the facts of this chart, and what was decided before. */
export function Why({
  patient,
  rule,
  back,
}: {
  patient: string;
  rule: string;
  back: (request: string, reason: string) => Promise<boolean>;
}) {
  const view = useQuery(asks.reminder(patient, rule));
  const w = view.data;
  if (view.error) return <Wrong says={say(view.error)} />;
  if (!w) return <p className="small">Reading why…</p>;
  return (
    <>
      <h2 className="mb-2 text-title-m">Why: {w.state}</h2>
      <dl className="grid grid-cols-[82px_1fr] gap-x-3 gap-y-1.5">
        <dt className="text-faded">Rule</dt>
        <dd>
          <b>{w.title}</b>, version {w.version}
          <span className="block">{w.about}</span>
        </dd>
        <dt className="text-faded">Kept by</dt>
        <dd>
          {w.maintainer}, reviewed {day(w.reviewed)}
        </dd>
        <dt className="text-faded">Source</dt>
        <dd>
          {w.source}
          {w.mind && <span className="small block">{w.mind}</span>}
        </dd>
        <dt className="text-faded">Applies</dt>
        <dd>
          <Lines of={w.applies} />
        </dd>
        {w.excluded.length > 0 && (
          <>
            <dt className="text-faded">But not with</dt>
            <dd>
              <Lines of={w.excluded} />
            </dd>
          </>
        )}
        {w.satisfied.length > 0 && (
          <>
            <dt className="text-faded">Fulfilled by</dt>
            <dd>
              <Lines of={w.satisfied} />
            </dd>
          </>
        )}
        <dt className="text-faded">Closed by</dt>
        <dd>
          {w.closes === "data"
            ? "what stands in the chart; as long as that stands, so does this"
            : "a person's statement, which can be taken back"}
        </dd>
        {w.changes && (
          <>
            <dt className="text-faded">So until</dt>
            <dd>{day(w.changes)}</dd>
          </>
        )}
      </dl>
      {w.leaflet && (
        <details className="mt-3">
          <summary className="cursor-pointer font-semibold text-kelp">For the patient</summary>
          <p className="mt-1 font-serif">{w.leaflet}</p>
          <a
            className="plain pl-0"
            href={`/api/patients/${patient}/reminders/${rule}/leaflet.pdf`}
            target="_blank"
            rel="noreferrer"
          >
            Print it
          </a>
        </details>
      )}
      {w.history.length + w.answers.length > 0 && (
        <>
          <h3 className="mt-4 mb-1 font-semibold">History of this reminder</h3>
          {w.history.map((h) => (
            <Said key={h.request} said={h} back={back} />
          ))}
          {w.answers.map((a) => (
            <p key={a.request} className="mb-1.5">
              {day(a.day)} · {a.question} <b>{a.value}</b>, {a.by}
            </p>
          ))}
        </>
      )}
    </>
  );
}

const marks = { yes: "✓", no: "✗", "not known": "?" };

// Lines are the conditions of a rule, each with its answer and the facts that gave it.
function Lines({ of }: { of: Schemas["WhyLine"][] }) {
  return (
    <ul>
      {of.map((l, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: the lines of a rule are fixed, and two may read the same
        <li key={i} style={{ paddingLeft: `${l.depth * 10}px` }} className="mb-0.5">
          <span className={l.holds === "not known" ? "font-semibold" : ""}>
            <span aria-hidden="true">{marks[l.holds]}</span> <span className="sr-only">{l.holds}: </span>
            {l.says}
          </span>
          {l.facts.map((f) => (
            <span key={f} className="small block pl-4">
              {f}
            </span>
          ))}
        </li>
      ))}
    </ul>
  );
}

// Said is what was decided once, with who took it back.
function Said({ said: h, back }: { said: Schemas["ReminderSaid"]; back: (request: string, reason: string) => Promise<boolean> }) {
  const [asking, setAsking] = useState(false);
  return (
    <div className="mb-2">
      <span className={h.back ? "line-through" : ""}>
        {day(h.at)} · {h.says}
        {h.until && ` until ${day(h.until)}`}, {h.by}
      </span>
      {h.reason && <span className="small block">“{h.reason}”</span>}
      {h.back ? (
        <span className="small block">
          taken back {day(h.backAt)}, {h.back}
          {h.backWhy && `: “${h.backWhy}”`}
        </span>
      ) : asking ? (
        <Asked
          label="Why it is taken back"
          word="Take it back"
          act={async (reason) => (await back(h.request, reason)) && setAsking(false)}
          leave={() => setAsking(false)}
        />
      ) : (
        <button type="button" className="plain py-0 pl-0" onClick={() => setAsking(true)}>
          Take it back…
        </button>
      )}
    </div>
  );
}
