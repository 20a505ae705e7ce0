import type { Schemas } from "../exchange/client";

/** Flags says at a glance where the values of a report stand; never by colour alone. What nobody judged is not in range. */
export function Flags({ report: r, short = false }: { report: Schemas["LineFlags"]; short?: boolean }) {
  if (r.critical)
    return (
      <span className="bg-alarm px-1.5 font-semibold whitespace-nowrap text-leaf">
        <span aria-hidden="true">■ </span>
        {!short && `${r.criticalOf} `}
        {r.critical}
      </span>
    );
  if (r.above + r.below + r.abnormal === 0)
    return (
      <span className="whitespace-nowrap text-faded">
        {r.written ? "to read" : r.notJudged === 0 ? "in range" : r.inRange === 0 ? "not judged" : `${r.notJudged} not judged`}
      </span>
    );
  return (
    <span className="font-semibold whitespace-nowrap">
      {r.above > 0 && (
        <span className="text-high">
          <span aria-hidden="true">▴</span>
          {r.above}
          <span className="sr-only"> above range</span>{" "}
        </span>
      )}
      {r.below > 0 && (
        <span className="text-low">
          <span aria-hidden="true">▾</span>
          {r.below}
          <span className="sr-only"> below range</span>{" "}
        </span>
      )}
      {r.abnormal > 0 && <span className="text-high">◆{r.abnormal} abnormal</span>}
    </span>
  );
}

const shapes: Record<string, [string, string]> = {
  above: ["▴", "text-high"],
  below: ["▾", "text-low"],
  abnormal: ["◆", "text-high"],
};

/** Value is one value with its shape: ▴ above, ▾ below, a filled block when critical. */
export function Value({ side, text, unit, flag }: { side: string; text: string; unit?: string; flag?: string }) {
  if (side.startsWith("critical"))
    return (
      <span className="bg-alarm px-1.5 font-semibold text-leaf">
        <span aria-hidden="true">■ </span>
        {text} {unit} {flag}
        <span className="sr-only"> {side}</span>
      </span>
    );
  const shape = shapes[side];
  return (
    <>
      {shape && (
        <span className={shape[1]}>
          <span aria-hidden="true">{shape[0]} </span>
          <span className="sr-only">{side} range </span>
        </span>
      )}
      <span className={unit === undefined ? "" : "font-semibold"}>{text}</span>
      {unit && <span className="text-faded"> {unit}</span>}
    </>
  );
}
