import type { Schemas } from "../exchange/client";

/** Entry is one question of the laboratory with its answer. */
export function Entry({
  question: q,
  of,
  value,
  set,
}: {
  question: Schemas["EntryQuestion"];
  of: string; // the name of the test
  value: string;
  set: (v: string) => void;
}) {
  const label = `${q.words}, for ${of}${q.required ? ", required" : ""}`;
  const choices = q.kind === "yesno" ? ["yes", "no"] : q.choices;
  const types: Record<string, string> = { number: "text", date: "date", datetime: "datetime-local" };
  return (
    <div className="flex flex-wrap items-baseline gap-x-2 py-0.5">
      <span className="min-w-[150px] flex-1 text-small text-faded" aria-hidden="true">
        {q.words}
        {q.required && !value && <span className="font-semibold text-carried"> · asked</span>}
      </span>
      {q.kind === "yesno" || q.kind === "choice" ? (
        <select
          aria-label={label}
          className="min-h-6 max-w-full rounded-[3px] border border-edge bg-leaf px-1 py-0.5 text-small"
          value={value}
          onChange={(e) => set(e.target.value)}
        >
          <option value="">{q.required ? "choose" : "not said"}</option>
          {choices.map((c) => (
            <option key={c} value={c}>
              {c}
            </option>
          ))}
        </select>
      ) : (
        <>
          <input
            aria-label={label}
            type={types[q.kind] ?? "text"}
            inputMode={q.kind === "number" ? "decimal" : undefined}
            className={`field mt-0 py-0 text-small ${q.kind === "text" ? "w-[190px]" : q.kind === "datetime" ? "w-[190px]" : "w-[120px]"}`}
            maxLength={500}
            value={value}
            onChange={(e) => set(e.target.value)}
          />
          {q.unit && <span className="small">{q.unit}</span>}
        </>
      )}
    </div>
  );
}
