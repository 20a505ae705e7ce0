import { useEffect, useRef, useState } from "react";
import uPlot from "uplot";
import "uplot/dist/uPlot.min.css";
import { day } from "../frame/time";
import { Choice } from "./Choice";

const spans: [string, number][] = [
  ["6 months", 183],
  ["1 year", 366],
  ["5 years", 1830],
  ["all", 0],
];

/** Point is a value at a moment; two numbers with a stroke between them are two lines. */
export type Point = { at: string; value: string };

/** Plot draws the values of one quantity over a span of time, oldest first, with a table of them
 * for those who do not see the plot. */
export function Plot({ name, unit, values, close }: { name: string; unit: string; values: Point[]; close: () => void }) {
  const [span, setSpan] = useState(0);
  const host = useRef<HTMLDivElement>(null);
  const from = span === 0 ? 0 : Date.now() - span * 86_400_000;
  const points = values.filter((p) => Date.parse(p.at) >= from);
  const key = points.map((p) => p.at + p.value).join();
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key stands for the points
  useEffect(() => {
    if (!host.current || points.length === 0) return;
    const style = getComputedStyle(document.documentElement);
    const ink = style.getPropertyValue("--color-ink");
    const kelp = style.getPropertyValue("--color-kelp");
    const rule = style.getPropertyValue("--color-rule");
    const x = points.map((p) => Date.parse(p.at) / 1000);
    const two = points.some((p) => p.value.includes("/"));
    const up = points.map((p) => Number(p.value.split("/")[0]));
    const down = points.map((p) => Number(p.value.split("/")[1]));
    const axis = {
      stroke: ink,
      grid: { stroke: rule, width: 1 },
      ticks: { stroke: rule },
      font: "12px Atkinson Hyperlegible Next Variable",
    };
    const plot = new uPlot(
      {
        width: Math.min(820, host.current.clientWidth || 760),
        height: 220,
        legend: { show: false },
        cursor: { x: false, y: false, points: { show: false }, drag: { x: true, y: false } },
        scales: {
          // Few values, or one, still stand in a sensible frame.
          x: {
            time: true,
            range: (_, from, to) => (to - from < 60 * 86_400 ? [from - 30 * 86_400, to + 30 * 86_400] : [from, to]),
          },
          y: {
            range: (_, low, high) => {
              const room = Math.max((high - low) * 0.1, Math.abs(high) * 0.03, 1);
              return [low - room, high + room];
            },
          },
        },
        axes: [{ ...axis }, { ...axis, size: 52 }],
        series: [
          {},
          { stroke: kelp, width: 2, points: { size: 7, fill: kelp } },
          ...(two ? [{ stroke: ink, width: 1.5, dash: [5, 4], points: { size: 6, fill: ink } }] : []),
        ],
      },
      two ? [x, up, down] : [x, up],
      host.current,
    );
    return () => plot.destroy();
  }, [key]);
  return (
    <figure aria-label={`${name} over time`} className="relative mt-3 border border-rule bg-leaf p-3">
      <figcaption className="flex items-baseline gap-3">
        <span className="flex-1 font-semibold">
          {name} <span className="font-normal text-faded">{unit} · draw over a span to look closer</span>
        </span>
        {spans.map(([words, days]) => (
          <Choice key={words} on={span === days} set={() => setSpan(days)}>
            {words}
          </Choice>
        ))}
        <button type="button" className="plain py-0" onClick={close}>
          Close
        </button>
      </figcaption>
      {points.length === 0 && <p className="small">No value in this span.</p>}
      <div ref={host} aria-hidden="true" />
      <table className="sr-only">
        <caption>{name}</caption>
        <tbody>
          {points.map((p) => (
            <tr key={p.at}>
              <th scope="row">{day(p.at)}</th>
              <td>
                {p.value} {unit}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </figure>
  );
}
