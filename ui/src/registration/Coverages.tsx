import type { Schemas } from "../exchange/client";
import { Choose, Field } from "./Field";

type Reg = Schemas["Registration"];
type Coverage = Schemas["Coverage"];

/** Coverages say who pays: primary, second, and who answers for the rest. */
export function Coverages({
  r,
  set,
  kinds,
  ranks,
}: {
  r: Reg;
  set: (c: Partial<Reg>) => void;
  kinds: string[];
  ranks: string[];
}) {
  const change = (i: number, c: Partial<Coverage>) =>
    set({ coverages: r.coverages.map((x, k) => (k === i ? { ...x, ...c } : x)) });
  const people: [string, string][] = [
    ["self", "the patient"],
    ...r.contacts.map((p): [string, string] => [p.id, p.name || "a contact"]),
  ];
  return (
    <>
      <h2 className="mt-5 text-title-s">Who pays</h2>
      <section aria-label="Who pays" data-field="coverages" tabIndex={-1}>
        {r.coverages.map((x, i) => (
          <div
            key={x.id}
            className="grid grid-cols-6 items-end gap-x-4 gap-y-1 border-b border-rule py-1.5 max-phone:grid-cols-2"
          >
            <Choose
              wide={1}
              label="Which"
              value={x.rank}
              set={(rank) => change(i, { rank })}
              options={ranks.map((v) => [v, v])}
            />
            <Choose wide={2} label="Kind" value={x.kind} set={(kind) => change(i, { kind })} options={kinds.map((v) => [v, v])} />
            <Field wide={3} label="Payer" value={x.payer} set={(payer) => change(i, { payer })} />
            <Field wide={2} label="Number" value={x.number} set={(number) => change(i, { number })} />
            <Field wide={1} label="Group" value={x.group} set={(group) => change(i, { group })} />
            <Field wide={1} label="Plan" value={x.plan} set={(plan) => change(i, { plan })} />
            <Field wide={1} label="From" hint="2026-01-01" value={x.from} set={(from) => change(i, { from })} />
            <Field wide={1} label="Until" value={x.until} set={(until) => change(i, { until })} />
            <Choose wide={2} label="Held by" value={x.holder} set={(holder) => change(i, { holder })} options={people} />
            <button
              type="button"
              className="plain col-span-2 py-1 text-left"
              aria-label={`Take off ${x.payer || "this coverage"}`}
              onClick={() => set({ coverages: r.coverages.filter((_, k) => k !== i) })}
            >
              Take off
            </button>
          </div>
        ))}
        <div className="flex items-end gap-4">
          <button
            type="button"
            className="plain pl-0"
            onClick={() =>
              set({
                coverages: [
                  ...r.coverages,
                  {
                    id: crypto.randomUUID(),
                    rank: r.coverages.some((x) => x.rank === "primary" && !x.until) ? "second" : "primary",
                    kind: "commercial",
                    payer: "",
                    plan: "",
                    number: "",
                    group: "",
                    holder: "self",
                    from: "",
                    until: "",
                  },
                ],
              })
            }
          >
            Add a coverage
          </button>
          <div className="w-[260px]">
            <Choose
              label="Guarantor: who pays the rest"
              name="guarantor"
              value={r.guarantor}
              set={(guarantor) => set({ guarantor })}
              options={[["", "not said"], ...people]}
            />
          </div>
        </div>
      </section>
    </>
  );
}
