import { useState } from "react";
import { KeyCap } from "../frame/keys";
import { day } from "../frame/time";
import { moment } from "../kit/Course";
import { Why } from "../kit/Form";
import type { Page, Says } from "./page";

/** Sources are the houses that sent records, each a question to the patient until it is answered. */
export function Sources({
  v,
  first,
  says: keep,
}: {
  v: Page;
  first?: string;
  says: (record: string, word: Says, words?: string) => Promise<boolean>;
}) {
  const [asking, setAsking] = useState("");
  const says = (record: string, word: Says, words = "") =>
    keep(record, word, words).then((done) => {
      if (done) setAsking("");
    });
  return (
    <section className="mt-6 max-w-[900px]" aria-label="Where the patient was seen">
      <h3 className="border-b border-rule pb-1 text-title-s font-semibold">Where the patient was seen</h3>
      {v.sources.length === 0 && <p className="small mt-2">No house has sent a record.</p>}
      <ul>
        {v.sources.map((s) => (
          <li key={s.house} className="border-b border-rule py-2">
            <b>{s.house}</b>{" "}
            <span className="text-faded">
              {s.seen.map((x) => x.split(" to ").map(day).join(" to ")).join("; ")} ·{" "}
              {s.records === 1 ? "1 record" : `${s.records} records`}
            </span>
            {s.says ? (
              <span className={`block text-aside ${s.says === "confirmed" ? "text-settled" : "text-carried"}`}>
                {s.says === "confirmed" ? "Was there" : s.says === "doubted" ? "Not sure" : "Was never there; sent back"}
                {s.words && `: “${s.words}”`}{" "}
                <span className="text-faded">
                  {s.by}, {moment(s.at)}
                </span>
              </span>
            ) : (
              <span className="block text-aside">
                Ask {v.patient.given}: were you at {s.house}
                {s.seen[0] && `, ${s.seen[0].split(" to ").map(day).join(" to ")}`}?
              </span>
            )}
            {asking === `doubted ${s.ask}` || asking === `refused ${s.ask}` ? (
              <Why
                label="What the patient said"
                says="What the patient said"
                word="Keep it"
                act={(words) => says(s.ask, asking.startsWith("doubted") ? "doubted" : "refused", words)}
                leave={() => setAsking("")}
              />
            ) : (
              s.says !== "confirmed" && (
                <span className="mt-1 flex flex-wrap gap-3">
                  <button type="button" className="choice px-2 py-0.5 text-small" onClick={() => void says(s.ask, "confirmed")}>
                    yes {s.house === first && <KeyCap k="y" />}
                  </button>
                  {s.says !== "doubted" && (
                    <button type="button" className="plain px-0 py-0" onClick={() => setAsking(`doubted ${s.ask}`)}>
                      not sure…
                    </button>
                  )}
                  {s.says !== "refused" && (
                    <button type="button" className="plain px-0 py-0" onClick={() => setAsking(`refused ${s.ask}`)}>
                      no, not there…
                    </button>
                  )}
                </span>
              )
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}
