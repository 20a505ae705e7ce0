import type { Schemas } from "../exchange/client";

type Warning = Schemas["Warning"];

const words: Record<Warning["grade"], string> = { never: "Never", avoid: "Avoid", watch: "Watch", unchecked: "Not checked" };

/** Care lists what speaks for care with a medicine, gravest first; what could not be checked is
 * said last, on one line, and never reads as if all were well. named: they are of several medicines. */
export function Care({ warnings, quiet = false, named = false }: { warnings: Warning[]; quiet?: boolean; named?: boolean }) {
  const known = warnings.filter((w) => !w.unknown);
  const unknown = warnings.filter((w) => w.unknown);
  return (
    <>
      {known.map((w) => (
        <p
          key={w.medicine + w.kind + w.says + w.why}
          role={quiet || !w.serious ? undefined : "alert"}
          className={w.serious ? "text-alarm" : "text-carried"}
        >
          <span className="font-semibold">
            {w.serious ? "■ " : "▲ "}
            {words[w.grade]}.
          </span>{" "}
          {named && <span className="font-semibold">{w.medicine}. </span>}
          {w.says}: {w.why}.{w.advice && <span className="text-ink"> {sentence(w.advice)}.</span>}
          {w.source && <span className="small"> ({w.source})</span>}
        </p>
      ))}
      {unknown.length > 0 && (
        <p className="text-faded">
          <span className="font-semibold">?</span> {unknown.map((w) => `${w.says}: ${w.why}`).join("; ")}.
        </p>
      )}
    </>
  );
}

function sentence(s: string) {
  return s.charAt(0).toUpperCase() + s.slice(1);
}
