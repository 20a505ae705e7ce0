import type { Schemas } from "../exchange/client";
import { day } from "../frame/time";
import { unit } from "../kit/unit";

const width = 600;
const height = 84;
const [left, right, top, bottom] = [8, 44, 16, 16];

const shapes: Record<string, string> = { above: "▴", below: "▾" };

/** range is what a laboratory wrote as its range, as far as it can be drawn. */
function range(text: string): [number | undefined, number | undefined] {
  const m = /^\s*(-?[\d.]+)\s*[-–]\s*(-?[\d.]+)\s*$/.exec(text);
  if (m) return [Number(m[1]), Number(m[2])];
  const one = /^\s*([<>])=?\s*(-?[\d.]+)\s*$/.exec(text);
  if (one) return one[1] === "<" ? [undefined, Number(one[2])] : [Number(one[2]), undefined];
  return [undefined, undefined];
}

export type Point = { at: string; t: number; y: number; text: string; side: string };

/** drawable is a value as a point, where it is a number of a known day. */
export function drawable(p: { at: string; text: string; side: string }): Point | undefined {
  const t = Date.parse(p.at);
  return /^-?[\d.]+$/.test(p.text) && !Number.isNaN(t) ? { ...p, t, y: Number(p.text) } : undefined;
}

/** Drawing draws points, oldest first, with the range as a band. from and to are the ends of its axis, where several stand above
 * each other on one; else it ends with its points. */
export function Drawing({ points, of, from, to }: { points: Point[]; of: string; from?: number; to?: number }) {
  const first = points[0];
  const last = points[points.length - 1];
  if (!first || !last) return null;
  const [begin, end] = [from ?? first.t, to ?? last.t];
  const [low, high] = range(of);
  const ys = [...points.map((p) => p.y), ...(low === undefined ? [] : [low]), ...(high === undefined ? [] : [high])];
  const [min, max] = [Math.min(...ys), Math.max(...ys)];
  const room = (max - min || Math.abs(max) || 1) * 0.08;
  const x = (t: number) => left + ((t - begin) / (end - begin || 1)) * (width - left - right);
  const y = (n: number) => top + (1 - (n - min + room) / (max - min + 2 * room)) * (height - top - bottom);
  const bandTop = high === undefined ? top : y(high);
  const bandEnd = low === undefined ? height - bottom : y(low);
  return (
    <svg viewBox={`0 0 ${width} ${height}`} className="w-full max-w-[760px]" role="img">
      <title>{points.map((p) => `${day(p.at)} ${p.text}`).join(", ")}</title>
      {(low !== undefined || high !== undefined) && (
        <>
          <rect x={0} width={width} y={bandTop} height={Math.max(1, bandEnd - bandTop)} className="fill-kelp-wash" />
          <text x={4} y={bandEnd - 3} className="fill-faded text-[10px]">
            range
          </text>
        </>
      )}
      <polyline
        points={points.map((p) => `${x(p.t)},${y(p.y)}`).join(" ")}
        fill="none"
        className="stroke-ink"
        strokeWidth={1.5}
      />
      {points.map((p) => {
        const shape = shapes[p.side.replace("critical ", "")];
        return shape ? (
          <text
            key={p.at}
            x={x(p.t)}
            y={y(p.y) + 5}
            textAnchor="middle"
            className={`text-[14px] ${p.side.endsWith("above") ? "fill-high" : "fill-low"}`}
          >
            {shape}
          </text>
        ) : (
          <circle key={p.at} cx={x(p.t)} cy={y(p.y)} r={2.5} className="fill-ink" />
        );
      })}
      <text x={width - 2} y={y(last.y) + 4} textAnchor="end" className="fill-ink text-[11px] font-semibold">
        {last.text}
      </text>
      <text x={left} y={height - 3} className="fill-faded text-[10px]">
        {from === undefined && day(first.at)}
      </text>
      <text x={width - right} y={height - 3} textAnchor="end" className="fill-faded text-[10px]">
        {to === undefined && day(last.at)}
      </text>
    </svg>
  );
}

/** Course draws a value over time with the range it came with as a band: only numbers in the same unit, by the same laboratory and
 * method; it says how many others there are. */
export function Course({ value: v, at }: { value: Schemas["ValueView"]; at: string }) {
  const all = [
    { at, text: v.text, side: v.side, same: v.live },
    ...v.earlier.map((e) => ({ at: e.at, text: e.text, side: e.side, same: e.unit === v.unit && !e.other })),
  ];
  const points = all
    .filter((p) => p.same)
    .map(drawable)
    .filter((p) => p !== undefined)
    .reverse();
  const left_out = all.length - points.length;
  if (points.length < 2)
    return (
      <p className="small py-2">
        {all.length < 2
          ? "No earlier value to draw."
          : "Fewer than two of these values can be drawn on one scale: they differ in unit, laboratory or method, or are no numbers."}
      </p>
    );
  return (
    <figure aria-label={`${v.name} over time`} className="relative py-1 text-left">
      <Drawing points={points} of={v.range} />
      <figcaption className="small">
        {points.length} values in {unit(v.unit) || "no unit"}
        {left_out > 0 && `; ${left_out} more are not drawn: another unit, laboratory or method, or no number`}
      </figcaption>
    </figure>
  );
}
