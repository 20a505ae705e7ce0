import type { Schemas } from "../exchange/client";
import { numbered } from "../kit/numbered";
import { Table } from "../kit/Table";
import { unit } from "../kit/unit";

/** Cultures are organisms with what they are susceptible to: medicines down, organisms across, letter and word of each. What nobody
 * interpreted says so. */
export function Cultures({
  cultures,
  values,
  before,
}: {
  cultures: Schemas["CultureView"][];
  values: Schemas["ValueView"][];
  before: (v: Schemas["ValueView"], w: Schemas["BeforeView"]) => string;
}) {
  if (cultures.length === 0) return null;
  const drugs = [...new Set(cultures.flatMap((c) => c.drugs.map((d) => values[d.row]?.name ?? "")))];
  return (
    <section aria-label="Susceptibility" className="relative mt-3 overflow-x-auto">
      <Table
        className="w-auto text-aside"
        columns={[
          { word: "Medicine" },
          ...numbered(cultures).map(({ it: c, place }) => ({
            id: String(place),
            word: `${c.subId} ${c.organism || "which organism is not said"}`.trim(),
            className: "pl-6 text-left normal-case",
          })),
        ]}
      >
        {drugs.map((name) => (
          <tr key={name} className="h-[28px] border-b border-rule align-baseline">
            <th scope="row" className="py-1 text-left font-normal">
              {name}
            </th>
            {numbered(cultures).map(({ it: c, place }) => (
              <td key={place} className="pl-6">
                {c.drugs
                  .filter((d) => values[d.row]?.name === name)
                  .map((d) => {
                    const v = values[d.row];
                    if (!v) return null;
                    const resists = ["R", "NS", "I", "SDD", "SYN-R"].includes(d.letter) || d.word.startsWith("contradictory");
                    const measured =
                      v.text.toUpperCase() === d.letter || v.text.toLowerCase() === d.word ? "" : `${v.text} ${unit(v.unit)}`;
                    return (
                      <div key={d.row} className={v.live ? "" : "text-faded"}>
                        <span className={d.letter ? `inline-block min-w-6 font-semibold ${resists ? "text-high" : ""}` : ""}>
                          {d.letter}
                        </span>{" "}
                        <span className={resists ? "font-semibold text-high" : d.letter ? "" : "text-carried"}>{d.word}</span>
                        {measured.trim() && <span className="text-faded"> · {measured.trim()}</span>}
                        {v.range && <span className="text-faded"> · range {v.range}</span>}
                        {v.status && <span className="block text-small text-carried">{v.status}</span>}
                        {v.before && <span className="block text-small text-carried">{before(v, v.before)}</span>}
                        {v.notes && <span className="small block whitespace-pre-wrap">{v.notes}</span>}
                        {v.details.method && <span className="small block">{v.details.method}</span>}
                      </div>
                    );
                  })}
              </td>
            ))}
          </tr>
        ))}
      </Table>
    </section>
  );
}
