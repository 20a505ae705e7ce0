import type { Schemas } from "../exchange/client";

/** Change is what is claimed of a value against the one before: more than analysis and the person's own variation explain, not
 * more, or nothing where there is no figure to say. Why is told with it. */
export function Change({ of: c }: { of?: Schemas["ChangeView"] }) {
  if (!c) return null;
  const why = `Against the value of ${c.against.slice(0, 10)}: ${c.why}.`;
  if (c.verdict === "not compared")
    return (
      <span className="small inline-block max-w-[112px] whitespace-normal" title={why}>
        {c.why}
      </span>
    );
  return (
    <span title={`${c.percent}. ${why}`}>
      <span className={c.verdict === "exceeds" ? "font-semibold" : "text-faded"}>
        {c.verdict === "within" ? "no sure change" : c.percent}
      </span>
      {c.verdict !== "within" && (
        <span className="text-faded">
          {c.verdict === "exceeds" ? `, noise ${c.limit.replace(/^[+−]/, "")}` : ", no figure for noise"}
        </span>
      )}
      <span className="sr-only"> {why}</span>
    </span>
  );
}
