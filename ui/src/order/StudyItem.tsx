import { useState } from "react";
import type { Schemas } from "../exchange/client";
import { Care } from "../kit/Care";
import { says as named, reaches } from "../referral/Refer";
import { Entry } from "./Entry";
import { Head, Justified, says } from "./PadItem";
import { asked, bare, type Diagnosis, type Item, now, type Timing } from "./pad";

/** StudyItem is imaging, a procedure or a supply on the pad: who does it, what it is to answer, what they ask, and what
 * in the chart speaks for care with it. */
export function StudyItem({
  item: i,
  diagnoses,
  timing,
  doers,
  concern,
  maySign,
  change,
  off,
}: {
  item: Item;
  diagnoses: Diagnosis[];
  timing: Timing; // of the pad
  doers?: Schemas["AddresseeView"][]; // of the directory; undefined while they are looked for
  concern?: Schemas["Concern"]; // undefined while the chart is looked through
  maySign: boolean;
  change: (i: Item) => void;
  off: () => void;
}) {
  const [open, setOpen] = useState(i.timing !== undefined);
  const t = i.test;
  const questions = asked(i).filter(
    (q) => q.required || (i.answers[q.code] ?? "") !== "" || (q.code === "pregnant" ? concern?.asks.includes(q.code) : open), // asked only of whom it may concern
  );
  const to = doers?.find((d) => d.id === i.to);
  const when = i.timing ?? timing;
  return (
    <li data-item={`${t.laboratory}:${t.code}`} className="border-b border-rule py-2">
      <Head
        name={t.name}
        when={when.every > 0 ? "once: only tests are standing" : says(when)}
        open={open}
        toggle={() => setOpen(!open)}
        off={off}
      />
      <div className="flex flex-wrap items-baseline justify-between gap-x-3 gap-y-1">
        <span className="small">
          {t.kind === "vaccine" ? (
            "given here"
          ) : doers && doers.length > 1 ? (
            <select
              aria-label={`Who does it: ${t.name}`}
              className="min-h-6 max-w-[260px] rounded-[3px] border border-edge bg-leaf px-1 py-0.5 text-small"
              value={i.to ?? ""}
              onChange={(e) => change({ ...i, to: e.target.value })}
            >
              {doers.map((d) => (
                <option key={d.id} value={d.id}>
                  {named(d)}
                </option>
              ))}
            </select>
          ) : (
            to && named(to)
          )}
          {to && ` · ${reaches(to)}`}
          {doers?.length === 0 && (
            <span className="font-semibold text-carried">Nobody in the directory does this: “{t.by}”. Add them there first.</span>
          )}
        </span>
        <Justified item={i} diagnoses={diagnoses} change={change} />
      </div>
      <input
        aria-label={bare(i) ? `Remark on ${t.name}` : `What ${t.name} is to answer, required`}
        placeholder={bare(i) ? "Remark" : "What is it to answer?"}
        className="field mt-1 py-0.5 font-serif"
        maxLength={4000}
        value={i.remark}
        onChange={(e) => change({ ...i, remark: e.target.value })}
      />
      {questions.length > 0 && (
        <fieldset className="mt-1 border-l-[3px] border-edge pl-3">
          <legend className="sr-only">They ask, for {t.name}</legend>
          {questions.map((q) => (
            <Entry
              key={q.code}
              question={q}
              of={t.name}
              value={i.answers[q.code] ?? ""}
              set={(v) => change({ ...i, answers: { ...i.answers, [q.code]: v } })}
            />
          ))}
        </fieldset>
      )}
      {concern && (
        <div className="mt-1 text-small">
          <Care warnings={concern.warnings} />
          {concern.before.map((b) => (
            <p key={b} className="text-carried">
              Ordered lately: {b}
            </p>
          ))}
          {concern.interpreter && <p className="text-faded">An interpreter is asked for: {concern.interpreter}.</p>}
        </div>
      )}
      {concern?.serious && maySign && (
        <input
          aria-label={`Why ${t.name} is ordered all the same`}
          placeholder="Why it is ordered all the same"
          className="field mt-1 border-alarm py-0.5"
          maxLength={1000}
          value={i.reason ?? ""}
          onChange={(e) => change({ ...i, reason: e.target.value })}
        />
      )}
      {open && (
        <div className="mt-1 flex flex-col gap-1 text-small">
          <label className="flex items-baseline gap-2">
            To be done about
            <input
              type="date"
              aria-label={`Day on which ${t.name} is to be done; empty for as soon as can be`}
              className="field mt-0 w-[136px] py-0"
              value={when.due}
              onChange={(e) => change({ ...i, timing: { ...now, due: e.target.value } })}
            />
          </label>
          {concern?.prepare && (
            <p className="small">
              <span className="text-faded">The patient prepares: </span>
              {concern.prepare}
            </p>
          )}
        </div>
      )}
    </li>
  );
}
