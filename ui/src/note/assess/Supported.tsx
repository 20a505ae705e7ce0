import { api, got } from "../../exchange/client";
import { KeyCap, useKeys } from "../../frame/keys";
import { Wrong } from "../../kit/Wrong";
import { type Note, useChange } from "../useNote";

/** Supported offers codes that the text supports and the list lacks, each with the
 * words that speak for it; taken or put away in one act. */
export function Supported({ note }: { note: Note }) {
  const act = useChange(note.id);
  const take = (code: string) => act.diagnoses((codes) => [...codes, code]);
  const away = (code: string) =>
    act.run(() => got(api.POST("/api/notes/{id}/supported/dismiss", { params: { path: { id: note.id } }, body: { code } })));
  const first = note.supported[0];
  useKeys(
    first
      ? [
          { key: "=", label: `Take ${first.code}, which the text supports`, run: () => void take(first.code) },
          { key: "Alt+equal", label: `Take ${first.code}, which the text supports`, run: () => void take(first.code) },
          ...(first.later
            ? ["-", "Alt+minus"].map((key) => ({
                key,
                label: `Take ${first.later}: active treatment is over`,
                run: () => void take(first.later),
              }))
            : []),
        ]
      : [],
  );
  if (!first) return null;
  return (
    <section aria-label="Codes the text supports" className="mb-5">
      {note.supported.map((s, i) => (
        <div key={s.code} className="margin-note mb-3" data-supported={s.code}>
          <span className="block font-semibold">
            <span className="font-mono text-small">{s.code}</span> {s.title}
          </span>
          {s.part === "chart" ? (
            <span className="block text-faded">From the chart: {s.words}</span>
          ) : (
            <span className="block font-serif text-line-l text-faded">“{s.words}”</span>
          )}
          {s.later && <span className="block">The text leaves open whether active treatment is over.</span>}
          <span className="flex flex-wrap gap-x-3">
            <button type="button" className="plain py-0" onClick={() => void take(s.code)}>
              {s.later ? `${s.code.slice(-1)}, it goes on` : "Take it"} {i === 0 && <KeyCap k="=" />}
            </button>
            {s.later && (
              <button type="button" className="plain py-0" onClick={() => void take(s.later)}>
                {s.later.slice(-1)}, it is over {i === 0 && <KeyCap k="-" />}
              </button>
            )}
            <button type="button" className="plain py-0" onClick={() => void away(s.code)}>
              Put away<span className="sr-only"> {s.code}</span>
            </button>
          </span>
        </div>
      ))}
      <Wrong says={act.error} className="text-aside" />
    </section>
  );
}
