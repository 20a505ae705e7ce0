import { useState } from "react";
import type { Schemas } from "../exchange/client";
import { day } from "../frame/time";
import { Choice } from "../kit/Choice";
import { Entry } from "./Entry";
import { asked, type Diagnosis, type Item, now, type Timing } from "./pad";
import { When } from "./When";

const words: Record<Schemas["Repeat"]["kind"], string> = {
  twice: "Twice on the pad",
  "in hand": "Out already",
  early: "Measured lately",
  earlier: "Last",
  "not checked": "Not checked",
};

/** says writes when something is to be done. */
export const says = (t: Timing) =>
  t.every > 0 ? `every ${t.every} weeks until ${day(t.until)}` : t.due ? `${day(t.due)}, once` : "now";

/** PadItem is one test on the pad: its diagnoses, the questions of the laboratory, and what else is said of it. */
export function PadItem({
  item: i,
  diagnoses,
  timing,
  repeats,
  coverage,
  change,
  answer,
  off,
}: {
  item: Item;
  diagnoses: Diagnosis[];
  timing: Timing; // of the pad
  repeats?: Schemas["Repeat"][]; // undefined while they are looked for
  coverage?: Schemas["TestCoverage"]; // where Original Medicare is to pay
  change: (i: Item) => void;
  answer: (question: string, answer: string) => void;
  off: () => void;
}) {
  const [open, setOpen] = useState(i.remark !== "" || i.timing !== undefined);
  // What the laboratory would only like to know stands behind "More".
  const questions = asked(i).filter((q) => q.required || open || (i.answers[q.code] ?? "") !== "");
  const t = i.test;
  return (
    <li data-item={`${t.laboratory}:${t.code}`} className="border-b border-rule py-2">
      <Head name={t.name} when={says(i.timing ?? timing)} open={open} toggle={() => setOpen(!open)} off={off} />
      <div className="flex flex-wrap items-baseline justify-between gap-x-3 gap-y-1">
        <span className="small">
          {t.laboratoryName}
          {t.paper && ", by fax"} · {t.tube}
          {t.fasting > 0 && ` · fasting ${t.fasting} h`}
        </span>
        <Justified item={i} diagnoses={diagnoses} change={change} />
      </div>
      {/* Its place is kept while it is looked for: nothing moves under the pointer. */}
      {!repeats?.some((r) => r.kind === "earlier" || r.kind === "early" || r.kind === "not checked") && (
        <p className="small mt-0.5">{repeats ? "No earlier value here." : "Looking for earlier values…"}</p>
      )}
      {(repeats ?? []).map((r) => (
        <p key={r.kind} className={r.kind === "earlier" ? "small mt-0.5" : "mt-1 border-l-[3px] border-carried pl-3 text-small"}>
          {r.kind !== "earlier" && <strong className="font-semibold">{words[r.kind]}: </strong>}
          {r.kind === "earlier" && "Last: "}
          {r.says}
          {r.says.endsWith(".") ? "" : "."}
          {r.source && <span className="text-faded"> {r.source}</span>}
        </p>
      ))}
      {coverage && (
        <Medicare of={t.name} coverage={coverage} choice={i.choice ?? 0} choose={(choice) => change({ ...i, choice })} />
      )}
      {questions.length > 0 && (
        <fieldset className="mt-1 border-l-[3px] border-edge pl-3">
          <legend className="sr-only">The laboratory asks, for {t.name}</legend>
          {questions.map((q) => (
            <Entry key={q.code} question={q} of={t.name} value={i.answers[q.code] ?? ""} set={(v) => answer(q.code, v)} />
          ))}
        </fieldset>
      )}
      {open && (
        <div className="mt-1 flex flex-col gap-1">
          <input
            aria-label={`Remark for the laboratory, ${t.name}`}
            placeholder="Remark for the laboratory"
            className="field mt-0 py-0 text-small"
            maxLength={1000}
            value={i.remark}
            onChange={(e) => change({ ...i, remark: e.target.value })}
          />
          <span className="flex flex-wrap items-baseline gap-2">
            {i.timing ? (
              <>
                <When timing={i.timing} of={t.name} set={(x) => change({ ...i, timing: x })} />
                <button type="button" className="plain py-0 text-small" onClick={() => change({ ...i, timing: undefined })}>
                  As the others
                </button>
              </>
            ) : (
              <button type="button" className="plain py-0 text-small" onClick={() => change({ ...i, timing: { ...now } })}>
                Another day than the others…
              </button>
            )}
          </span>
          {t.handling && <p className="small">{t.handling}</p>}
          {t.reflex && <p className="small">The laboratory adds by itself: {t.reflex}</p>}
          {t.analytes.length > 1 && <p className="small">Reports {t.analytes.map((a) => a.name).join(", ")}</p>}
        </div>
      )}
    </li>
  );
}

/** Head is the first line of an item on the pad. */
export function Head({
  name,
  when,
  open,
  toggle,
  off,
}: {
  name: string;
  when: string;
  open: boolean;
  toggle: () => void;
  off: () => void;
}) {
  return (
    <div className="flex items-baseline justify-between gap-2">
      <span className="font-semibold">{name}</span>
      <span className="shrink-0">
        <span className="mr-2 text-small text-faded">{when}</span>
        <button type="button" className="plain py-0 text-small" aria-expanded={open} onClick={toggle}>
          More<span className="sr-only"> of {name}</span>
        </button>
        <button type="button" className="plain py-0 text-small" onClick={off}>
          Take off<span className="sr-only"> {name}</span>
        </button>
      </span>
    </div>
  );
}

/** Justified are the diagnoses that an item may be for, each linked or not. */
export function Justified({ item: i, diagnoses, change }: { item: Item; diagnoses: Diagnosis[]; change: (i: Item) => void }) {
  return (
    <span className="flex flex-wrap gap-1.5">
      {diagnoses.map((d) => {
        const on = i.diagnoses.includes(d.code);
        return (
          <button
            key={d.code}
            type="button"
            title={d.title}
            aria-pressed={on}
            aria-label={`${d.code} ${d.title} justifies ${i.test.name}`}
            className={`min-h-6 rounded-[3px] border px-2 py-0.5 font-mono text-small ${on ? "border-ink bg-ink text-leaf" : "border-edge text-faded"}`}
            onClick={() => change({ ...i, diagnoses: on ? i.diagnoses.filter((c) => c !== d.code) : [...i.diagnoses, d.code] })}
          >
            {d.code}
          </button>
        );
      })}
    </span>
  );
}

const choices = [
  "Nothing signed",
  "Option 1: bill Medicare",
  "Option 2: pays, do not bill",
  "Option 3: does not want it",
] as const;

// Medicare says what Original Medicare is expected to pay, and keeps what the patient chose on the notice.
function Medicare({
  of,
  coverage: { verdict: v, estimate },
  choice,
  choose,
}: {
  of: string;
  coverage: Schemas["TestCoverage"];
  choice: 0 | 1 | 2 | 3;
  choose: (c: 0 | 1 | 2 | 3) => void;
}) {
  const source = v.source && <span className="text-faded"> {v.source}</span>;
  if (v.answer === "covered")
    return (
      <p className="small mt-0.5">
        Medicare: covered, {v.says}.{source}
      </p>
    );
  if (v.answer === "not checked") return <p className="small mt-0.5">? Medicare: not checked, {v.says}.</p>;
  return (
    <fieldset className="mt-1 border-l-[3px] border-carried pl-3 text-small">
      <legend className="sr-only">Advance notice for {of}</legend>
      <strong className="font-semibold">
        {v.answer === "excluded" ? "Medicare does not pay: " : "Payment by Medicare is unlikely: "}
      </strong>
      {v.says}.{source} {estimate && `About ${estimate}.`}
      <span className="mt-1 flex flex-wrap gap-1.5">
        {choices.map((word, n) => (
          <Choice key={word} on={choice === n} set={() => choose(n as 0 | 1 | 2 | 3)}>
            {word}
          </Choice>
        ))}
      </span>
    </fieldset>
  );
}
