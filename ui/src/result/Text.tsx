import { diffWordsWithSpace } from "diff";
import type { Schemas } from "../exchange/client";
import { numbered } from "../kit/numbered";

type Piece = { value: string; added?: boolean; removed?: boolean };

/** differences are what was taken away and added, in whole stretches: single words that happen to be the same do not break one. */
function differences(was: string, is: string): Piece[] {
  const out: Piece[] = [];
  let gone = "";
  let come = "";
  const end = () => {
    if (gone) out.push({ value: gone, removed: true });
    if (come) out.push({ value: come, added: true });
    gone = come = "";
  };
  for (const d of diffWordsWithSpace(was, is)) {
    if (d.removed) gone += d.value;
    else if (d.added) come += d.value;
    else if ((gone || come) && d.value.trim().length < 3) {
      gone += d.value;
      come += d.value;
    } else {
      end();
      out.push(d);
    }
  }
  end();
  return out;
}

/** Text is a text of a report under its heading. Where it read differently in the issue before, what was taken away and what was
 * added stand in it. */
export function Text({
  section: s,
  of = "",
  first = false,
}: {
  section: Schemas["TextPartView"];
  of?: string; // the status of the whole report, which is not said again of each part
  first?: boolean;
}) {
  const marks = [s.side && `marked by the laboratory: ${s.side}`, s.status === of ? "" : s.status].filter(Boolean).join(" · ");
  return (
    <section
      aria-label={s.heading || "Text of the report"}
      className={`mt-3 max-w-[72ch] ${first ? "border-l-2 border-kelp pl-3" : ""}`}
    >
      {(s.heading || marks) && (
        <h3 className="label flex flex-wrap gap-x-2">
          <span>{s.heading.toLowerCase().replace(/^./, (x) => x.toUpperCase())}</span>
          {marks && <span className="text-carried">{marks}</span>}
          {s.differs && (
            <span className="text-carried">
              {s.was ? (s.text ? "changed since the issue before" : "no longer in it") : "new in this issue"}
            </span>
          )}
        </h3>
      )}
      <p
        className={`font-serif whitespace-pre-wrap ${first ? "text-title-s" : "text-read"} ${s.live ? "" : "text-faded line-through"}`}
      >
        {s.differs && s.was
          ? numbered(differences(s.was, s.text)).map(({ it: d, place }) =>
              d.added ? (
                <ins key={place} className="bg-kelp-wash font-semibold no-underline">
                  <span className="sr-only">[added: </span>
                  {d.value}
                  <span className="sr-only">]</span>
                </ins>
              ) : d.removed ? (
                <del key={place} className="text-carried">
                  <span className="sr-only">[taken away: </span>
                  {d.value}
                  <span className="sr-only">]</span>
                </del>
              ) : (
                <span key={place}>{d.value}</span>
              ),
            )
          : s.text}
      </p>
      {s.notes && <p className="small whitespace-pre-wrap">{s.notes}</p>}
    </section>
  );
}
