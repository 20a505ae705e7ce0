import type { ReactNode } from "react";
import type { Schemas } from "../../exchange/client";
import { KeyCap } from "../../frame/keys";

// onPad says that what keeps a promise is put on the pad.
const onPad = (does: string) => /^(order|picture|vaccine) /.test(does);

/** Closing is the closing list: what to look at before signing. */
export function Closing({
  list,
  measures,
  sign,
  next,
  close,
  lead,
  keep,
}: {
  list: Schemas["ClosingView"];
  /** The measures this visit meets or misses. */
  measures: ReactNode;
  sign: (thenNext: boolean) => void;
  /** Whose visit comes next; empty for none. */
  next: string;
  close: () => void;
  lead: (p: Schemas["Point"]) => void;
  /** Opens what keeps promises of the plan: all that are given, at once. */
  keep: (promises: string[]) => void;
}) {
  const tests = list.points.map((p) => p.does).filter(onPad);
  const stops = list.points.filter((p) => p.stops).length;
  return (
    <section aria-label="Closing list" className="mb-5 border-l-[3px] border-kelp bg-leaf py-2 pr-2 pl-3 text-aside">
      <h2 className="font-sans text-line font-semibold">Before signing</h2>
      <ol className="my-1.5">
        {list.points.map((p) => (
          <li key={p.kind + p.ref + p.says} className="border-t border-rule py-1.5">
            <button type="button" className="block w-full text-left hover:underline" onClick={() => lead(p)}>
              <span className="font-semibold">{p.says}</span>
            </button>
            <span className="text-faded">
              {p.why}
              {p.stops ? " · settle this first" : " · read it, then sign if it is so"}
            </span>
            {p.does && (
              <button type="button" className="plain py-0" onClick={() => keep([p.does])}>
                {onPad(p.does) ? "Order it" : p.does.startsWith("prescribe ") ? "Prescribe it" : "Refer"}
                <span className="sr-only">: {p.says}</span>
              </button>
            )}
          </li>
        ))}
      </ol>
      {tests.length > 1 && (
        <button type="button" className="choice mb-2 py-0.5 text-small" onClick={() => keep(tests)}>
          Put the {tests.length} orders of the plan on the pad
        </button>
      )}
      {measures}
      <p className="text-faded">
        {Object.entries(list.share)
          .filter(([, n]) => n > 0)
          .map(([k, n]) => `${n} % ${k === "findings" ? "from findings" : k === "chart" ? "from the chart" : k}`)
          .join(", ")}
      </p>
      <div className="mt-1.5 flex gap-3">
        {stops === 0 && (
          <span className="flex flex-wrap gap-2">
            <button type="button" className="act py-1" onClick={() => sign(false)}>
              Sign the note <KeyCap k="Ctrl+Enter" />
            </button>
            <button type="button" className="choice py-1" onClick={() => sign(true)}>
              Sign, then {next || "Today"} <KeyCap k="Alt+n" />
            </button>
          </span>
        )}
        <button type="button" className="plain" onClick={close}>
          Back to the note <KeyCap k="Escape" />
        </button>
      </div>
    </section>
  );
}
