import type { Schemas } from "../exchange/client";
import { Table } from "../kit/Table";

type Count = Schemas["MeasureCount"];

const percent = (met: number, of: number) => (of > 0 ? `${Math.round((100 * met) / of)} %` : "–");
const month = (m: string) =>
  new Date(`${m}-15T12:00:00Z`).toLocaleDateString("en-US", { month: "short", year: "numeric", timeZone: "UTC" });

/** Quality is how the practice stands towards each measure of quality, with its course over twelve months. */
export function Quality({ measures, chosen, choose }: { measures: Count[]; chosen: string; choose: (id: string) => void }) {
  if (measures.length === 0) return null;
  return (
    <section aria-label="Measures">
      <h2 className="text-title">How each measure stands</h2>
      <p className="small mb-2">
        Met of whom it concerns, without those left out and those of whom the chart does not say. The course is of the last twelve
        ends of months, by what stands on the lists today.
      </p>
      <Table
        columns={[
          { word: "Measure" },
          { word: "Met", className: "pl-4 text-right" },
          { word: "Course", className: "pl-4" },
          { word: "Missed", className: "pl-4 text-right" },
          { word: "Ordered", className: "pl-4 text-right" },
          { word: "Not known", className: "pl-4 text-right" },
          { word: "Left out", className: "pl-4 text-right" },
        ]}
      >
        {measures.map((m) => (
          <tr key={m.id} className="border-b border-rule align-top tabular-nums">
            <td className="py-1.5" title={`${m.about} ${m.source}`}>
              <button
                type="button"
                aria-pressed={m.id === chosen}
                className={`text-left hover:underline ${m.id === chosen ? "font-semibold" : ""}`}
                onClick={() => choose(m.id)}
              >
                {m.title}
              </button>
              {m.failed > 0 && <span className="block text-small text-alarm">could not be computed in {m.failed}</span>}
            </td>
            <td className="py-1.5 pl-4 text-right whitespace-nowrap">
              <span className="font-semibold">{percent(m.met, m.of)}</span>
              <span className="block text-small text-faded">
                {m.met} of {m.of}
              </span>
            </td>
            <td className="py-1.5 pl-4">
              <Course of={m} />
            </td>
            <td className="py-1.5 pl-4 text-right">{m.missed}</td>
            <td className="py-1.5 pl-4 text-right">{m.inHand}</td>
            <td className="py-1.5 pl-4 text-right">{m.notKnown}</td>
            <td className="py-1.5 pl-4 text-right">{m.excluded}</td>
          </tr>
        ))}
      </Table>
    </section>
  );
}

/** Course is the share met at the ends of twelve months; a month that concerned nobody has no point. */
function Course({ of }: { of: Count }) {
  const points = of.months.map((m, i) => ({ ...m, x: 4 + i * 8, y: m.of > 0 ? 22 - (20 * m.met) / m.of : -1 }));
  const line = points.filter((p) => p.y >= 0);
  const says = of.months.map((m) => `${month(m.month)}: ${percent(m.met, m.of)} (${m.met} of ${m.of})`).join("; ");
  return (
    <svg width="96" height="24" role="img" aria-label={says} className="align-middle">
      <title>{says}</title>
      <line x1="4" x2="92" y1="22.5" y2="22.5" className="stroke-rule" />
      <polyline fill="none" strokeWidth="1.5" className="stroke-kelp" points={line.map((p) => `${p.x},${p.y}`).join(" ")} />
      {line.slice(-1).map((p) => (
        <circle key={p.month} cx={p.x} cy={p.y} r="2.5" className="fill-kelp" />
      ))}
    </svg>
  );
}
