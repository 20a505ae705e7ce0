import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Link } from "react-router";
import { asks } from "../exchange/asks";
import type { Schemas } from "../exchange/client";
import { Choice } from "../kit/Choice";
import { type Common, type Item, isTest, key } from "./pad";
import { When } from "./When";

function Row({ word, children }: { word: string; children: ReactNode }) {
  return (
    <div className="flex gap-3 py-1">
      <span className="w-[76px] shrink-0 pt-0.5 text-small text-faded">{word}</span>
      <div className="min-w-0 flex-1">{children}</div>
    </div>
  );
}

const priorities = [
  ["R", "Routine"],
  ["A", "Urgent"],
  ["S", "Stat"],
] as const;
const drawings = [
  ["now", "Drawn now"],
  ["here", "Drawn here later"],
  ["site", "At a laboratory's site"],
] as const;
const payers = [
  ["insurer", "Insurer"],
  ["patient", "Patient"],
  ["practice", "Practice"],
] as const;

/** PadCommon is what is said of everything on the pad at once. */
export function PadCommon({
  items,
  common: c,
  set,
  view,
  patient,
}: {
  items: Item[];
  common: Common;
  set: (c: Common) => void;
  view?: Schemas["PadView"];
  patient: string;
}) {
  const tests = items.filter(isTest);
  const needed = useQuery({ ...asks.needed(tests.map((i) => key(i.test))), enabled: tests.length > 0 });
  const sites = (view?.laboratories ?? []).filter((l) => items.some((i) => i.test.laboratory === l.id)).flatMap((l) => l.sites);
  const lacks = view?.lacks.find((l) => l.who === c.payer)?.lacks ?? [];
  const several = (needed.data ?? []).length > 1;
  return (
    <section aria-label="For all of it" className="mt-2">
      <Row word="Priority">
        <span className="flex flex-wrap gap-1.5">
          {priorities.map(([code, word]) => (
            <Choice key={code} on={c.priority === code} set={() => set({ ...c, priority: code })}>
              {word}
            </Choice>
          ))}
        </span>
      </Row>
      <Row word="When">
        <When timing={c.timing} of="all of it" set={(timing) => set({ ...c, timing })} />
      </Row>
      {tests.length > 0 && (
        <Row word="Specimen">
          <span className="flex flex-wrap items-baseline gap-1.5">
            {drawings.map(([code, word]) => (
              <Choice key={code} on={c.drawing === code} set={() => set({ ...c, drawing: code })}>
                {word}
              </Choice>
            ))}
            {c.drawing === "site" && sites.length > 0 && (
              <select
                aria-label="Site"
                className="min-h-6 rounded-[3px] border border-edge bg-leaf px-1 py-0.5 text-small"
                value={c.site}
                onChange={(e) => set({ ...c, site: e.target.value })}
              >
                <option value="">the patient chooses</option>
                {sites.map((s) => (
                  <option key={s.code} value={s.code}>
                    {s.name}, {s.hours}
                  </option>
                ))}
              </select>
            )}
          </span>
          {c.drawing === "now" && items.some((i) => (i.timing ?? c.timing).due || (i.timing ?? c.timing).every) && (
            <p className="text-small text-carried">What is for a later day is drawn here then, not now.</p>
          )}
          <div className="min-h-[19px] text-small">
            {(needed.data ?? []).map((n) => (
              <p key={n.laboratory}>
                {several && <span className="text-faded">{n.name}: </span>}
                {n.words.join("; ")}
                {n.fasting > 0 && <strong className="font-semibold"> · fasting {n.fasting} h</strong>}
              </p>
            ))}
          </div>
        </Row>
      )}
      {tests.length > 0 && (
        <Row word="Payer">
          <span className="flex flex-wrap items-baseline gap-1.5">
            {payers.map(([code, word]) => (
              <Choice key={code} on={c.payer === code} set={() => set({ ...c, payer: c.payer === code ? "" : code })}>
                {word}
              </Choice>
            ))}
            {c.payer === "" && <span className="small">not said</span>}
            {c.payer === "insurer" && view?.cover && <span className="small">{view.cover}</span>}
          </span>
          {lacks.length > 0 && (
            <p className="text-small font-semibold text-carried">
              The registration lacks {lacks.join(", ")}.{" "}
              <Link className="plain py-0" to={`/patients/${patient}/registration`}>
                Add it
              </Link>
            </p>
          )}
          {c.payer === "patient" && (
            <p className="small">
              {(needed.data ?? []).map((n) => (
                <span key={n.laboratory} className="mr-3">
                  {several && `${n.name}: `}about ${n.estimate}
                  {n.unpriced.length > 0 && `, without a price: ${n.unpriced.join(", ")}`}
                </span>
              ))}
            </p>
          )}
        </Row>
      )}
      {tests.length > 0 && (
        <Row word="Copies">
          <span className="flex flex-wrap items-baseline gap-2">
            <Choice on={c.copyPatient} set={() => set({ ...c, copyPatient: !c.copyPatient })}>
              To the patient
            </Choice>
            <input
              aria-label="Copies to clinicians, parted by a semicolon"
              placeholder="to clinicians; parted by semicolons"
              className="field mt-0 w-[240px] py-0 text-small"
              maxLength={400}
              value={c.copy}
              onChange={(e) => set({ ...c, copy: e.target.value })}
            />
          </span>
        </Row>
      )}
    </section>
  );
}
