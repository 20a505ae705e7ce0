import type { Schemas } from "../../exchange/client";

type Block = Schemas["Block"];
type Piece = Schemas["Piece"];

/** originWords say where a sentence came from. */
export const originWords: Record<string, string> = {
  typed: "typed",
  findings: "from findings and answers",
  device: "read from the device",
  patient: "the patient's own answer",
  carried: "carried from an earlier visit",
  chart: "brought in from the chart",
};

/** Blocks shows paragraphs as they read. What was carried is dotted until looked
 * at; a sentence's origin is in its title, and after signing in its mark. */
export function Blocks({
  blocks,
  open,
  at,
  marks,
  source,
}: {
  blocks: Block[];
  open?: (ref: string) => void;
  at?: string;
  marks?: boolean;
  source?: (note: string) => string;
}) {
  let group = "";
  return (
    <>
      {blocks.map((b) => {
        const head = b.group !== group && b.group !== "";
        group = b.group;
        return (
          <div key={`${b.ref}${b.label}`}>
            {head && <h3 className="label mt-2 font-sans">{b.group}</h3>}
            <p className="font-serif text-title leading-[1.45]">
              {b.label &&
                (open ? (
                  <button type="button" className="cursor-pointer font-semibold hover:underline" onClick={() => open(b.ref)}>
                    {b.label}:
                  </button>
                ) : (
                  <span className="font-semibold">{b.label}:</span>
                ))}
              {b.label && " "}
              {b.pieces.map((p) => (
                <Sentence
                  key={p.ref + p.text}
                  piece={p}
                  here={at === p.ref}
                  marks={marks}
                  open={open && (() => open(p.ref.startsWith("answer.") ? "questions" : b.ref))}
                  source={source}
                />
              ))}
            </p>
          </div>
        );
      })}
    </>
  );
}

function Sentence({
  piece: p,
  here,
  marks,
  open,
  source,
}: {
  piece: Piece;
  here: boolean;
  marks?: boolean;
  open?: () => void;
  source?: (note: string) => string;
}) {
  const from = p.origin === "carried" ? source?.(p.source) || "an earlier visit" : p.source;
  const why = originWords[p.origin] + (from ? `: ${from}` : "");
  const carried = p.origin === "carried";
  const unlooked = carried && !p.looked;
  return (
    <>
      {/* biome-ignore lint/a11y/useKeyWithClickEvents lint/a11y/noStaticElementInteractions: the same is reached with the keys of the part */}
      <span
        title={why}
        data-ref={p.ref}
        onClick={open}
        className={`${unlooked ? "text-carried underline decoration-dotted decoration-2 underline-offset-[5px]" : ""} ${here ? "bg-kelp-wash" : ""} ${open ? "cursor-pointer" : ""}`}
      >
        {p.text}
        {unlooked && <span className="sr-only"> (carried, not looked at)</span>}
      </span>
      {marks && p.origin !== "typed" && p.origin !== "findings" && (
        <sup className="ml-0.5 font-sans text-tiny whitespace-nowrap text-carried" title={why}>
          {p.origin}
          {carried && from ? `, ${from}` : ""}
        </sup>
      )}{" "}
    </>
  );
}
