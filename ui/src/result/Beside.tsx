import { useState } from "react";
import type { Schemas } from "../exchange/client";
import { day } from "../frame/time";

const first = 4;

/** Beside is what of the chart is known to act on the values of a report, what stands out of range first. It claims no cause, and
 * says which medicines were not looked at. */
export function Beside({ of: all, unread }: { of: Schemas["BearingView"][]; unread: string[] }) {
  const [whole, setWhole] = useState(false);
  if (all.length === 0 && unread.length === 0) return null;
  const out = all.filter((x) => x.out);
  const shown = whole ? all : (out.length > 0 ? out : all).slice(0, first);
  return (
    <section aria-label="Beside these values" className="mt-8 border-t border-rule pt-3 text-aside">
      <h2 className="label mb-2 font-sans">Beside these values</h2>
      <ul>
        {shown.map((x) => (
          <li key={x.says} className="margin-note mb-2">
            <b>{x.says}</b>
            {x.since && ` (since ${x.since.length === 10 ? day(x.since) : x.since})`}: {x.why}.
            {x.told && <span className="block text-carried">The patient says: {x.told}.</span>}
            <span className="small block">{x.source}</span>
          </li>
        ))}
      </ul>
      {shown.length < all.length && (
        <button type="button" className="plain px-0" onClick={() => setWhole(true)}>
          {all.length - shown.length} more that act on these analytes
        </button>
      )}
      {unread.length > 0 && <p className="small text-carried">Not known here, and not looked at: {unread.join("; ")}.</p>}
    </section>
  );
}
