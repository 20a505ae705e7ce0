import { clock, day } from "../frame/time";

type Happened = { says: string; detail: string; happened: string; by: string; at: string; document?: string };

/** moment says a day, with the time where there is one. */
export const moment = (s: string) => (s.length > 10 ? `${day(s)}, ${clock(s)}` : day(s));

/** Awaited says what is awaited next of something under way, and whether it is late. */
export function Awaited({ what, by, late }: { what: string; by: string; late: boolean }) {
  if (!what) return null;
  return (
    <p className="mt-3">
      {late && <strong className="font-semibold text-carried">Late: </strong>}
      {what} by {day(by)}
    </p>
  );
}

/** Course lists what happened to something that left the practice, the oldest first. */
export function Course({ events }: { events: Happened[] }) {
  if (events.length === 0) return null;
  return (
    <section aria-label="Its course" className="mt-5 max-w-[76ch]">
      <h2 className="mb-1 text-title-m">Course</h2>
      <ol>
        {events.map((e) => (
          <li key={e.at + e.says} className="flex gap-4 border-b border-rule py-1.5 text-aside">
            <span className="w-36 shrink-0 text-faded">{moment(e.at)}</span>
            <span className="min-w-0 flex-1">
              <strong className="font-semibold">{e.says}</strong>
              {e.happened && <> · {moment(e.happened)}</>}
              {e.detail && <span className="block whitespace-pre-line">{e.detail}</span>}
              {e.document && (
                <a className="plain py-0" href={`/api/documents/${e.document}`} target="_blank" rel="noreferrer">
                  The document
                </a>
              )}
            </span>
            <span className="small w-36 shrink-0 text-right">{e.by || "their system"}</span>
          </li>
        ))}
      </ol>
    </section>
  );
}
