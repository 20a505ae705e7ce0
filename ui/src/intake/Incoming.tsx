import type { Schemas } from "../exchange/client";
import { useRight } from "../session/me";
import type { Acts } from "./useIntake";

type Entry = Schemas["IncomingView"];

const sources: Record<string, string> = { patient: "The patient's own answers", "pharmacy network": "Pharmacy network" };

/** Incoming sets each entry from outside beside what the chart has, to be taken in,
 * left out or joined. */
export function Incoming({ view, acts }: { view: Schemas["IntakeView"]; acts: Acts }) {
  const mayAll = useRight("change the problem list");
  const open = view.incoming.filter((e) => e.decision === "");
  const decided = view.incoming.filter((e) => e.decision !== "");
  const fresh = open.filter((e) => e.same === "new");
  const same = open.filter((e) => e.same === "same");
  if (view.incoming.length === 0)
    return view.sources.length > 0 ? (
      <p className="small">
        What the pharmacy network and the patient's own answers bring appears here, beside what the chart has.
      </p>
    ) : null;
  const groups = Map.groupBy(open, (e) => e.source);
  return (
    <section aria-label="From outside">
      <h2 className="mb-1 text-title">From outside</h2>
      {open.length === 0 && <p className="small">Everything is decided.</p>}
      <div className="mb-2 flex flex-wrap gap-x-3">
        {fresh.length > 1 && (
          <button
            type="button"
            className="plain"
            onClick={() =>
              void acts.decide(
                fresh.map((e) => e.id),
                "take in",
              )
            }
          >
            Take in all {fresh.length} new
          </button>
        )}
        {same.length > 0 && (
          <button
            type="button"
            className="plain"
            onClick={() =>
              void acts.decide(
                same.map((e) => e.id),
                "join",
              )
            }
          >
            Join the {same.length} that are the same
          </button>
        )}
      </div>
      {[...groups].map(([source, entries]) => (
        <div key={source} className="mb-3">
          <h3 className="label font-sans">{sources[source] ?? source}</h3>
          {entries.map((e) => (
            <One key={e.id} entry={e} acts={acts} mayLeave={mayAll || e.list !== "allergies"} />
          ))}
        </div>
      ))}
      {decided.length > 0 && (
        <details>
          <summary className="cursor-pointer text-faded">{decided.length} decided</summary>
          {decided.map((e) => (
            <p key={e.id} className="text-faded">
              {e.title}: {e.decision}, {e.by}
            </p>
          ))}
        </details>
      )}
    </section>
  );
}

function One({ entry: e, acts, mayLeave }: { entry: Entry; acts: Acts; mayLeave: boolean }) {
  return (
    <div className="margin-note mb-2.5">
      <span className="block">
        <span className="text-faded">{e.name}: </span>
        <span className="font-semibold">{e.title}</span>
        {e.detail && ` – ${e.detail}`}
        {e.since && <span className="text-faded"> · {e.since}</span>}
      </span>
      {e.beside && (
        <span className="block text-carried">
          {e.same === "same" ? "Same as in the chart" : "In the chart"}: {e.beside}
        </span>
      )}
      {(e.same === "asks" || e.same === "differs") && e.why && <span className="block text-faded">{e.why}.</span>}
      <span className="flex gap-3">
        {e.same !== "same" && (
          <button
            type="button"
            className="plain py-0"
            aria-label={`Take in ${e.title}`}
            onClick={() => void acts.decide([e.id], "take in")}
          >
            Take in
          </button>
        )}
        {e.beside && (
          <button
            type="button"
            className="plain py-0"
            aria-label={`Join ${e.title}`}
            onClick={() => void acts.decide([e.id], "join")}
          >
            Join
          </button>
        )}
        {mayLeave && (
          <button
            type="button"
            className="plain py-0"
            aria-label={`Leave out ${e.title}`}
            onClick={() => void acts.decide([e.id], "leave out")}
          >
            Leave out
          </button>
        )}
      </span>
    </div>
  );
}
