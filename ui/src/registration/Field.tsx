import type { RefObject } from "react";

const spans: Record<number, string> = {
  1: "col-span-1",
  2: "col-span-2",
  3: "col-span-3 max-phone:col-span-2",
  4: "col-span-4 max-phone:col-span-2",
  6: "col-span-6 max-phone:col-span-2",
};

/** Field is one line of a registration, with its name above it. name is where a finding of the server leads. */
export function Field({
  label,
  value,
  set,
  wide = 0,
  hint = "",
  name,
  input,
  focus = false,
}: {
  label: string;
  value: string;
  set: (v: string) => void;
  wide?: number;
  hint?: string;
  name?: string;
  input?: RefObject<HTMLInputElement | null>;
  focus?: boolean; // it is where typing begins
}) {
  return (
    <label className={`label block ${spans[wide] ?? "flex-1"}`}>
      {label}
      <input
        ref={input}
        autoFocus={focus}
        className="field text-ink"
        placeholder={hint}
        autoComplete="off"
        data-field={name}
        value={value}
        onChange={(e) => set(e.target.value)}
      />
    </label>
  );
}

/** Choose is one choice of a registration. */
export function Choose({
  label,
  says = label,
  value,
  set,
  options,
  wide = 0,
  name,
}: {
  label: string;
  says?: string;
  value: string;
  set: (v: string) => void;
  options: [string, string][];
  wide?: number;
  name?: string;
}) {
  return (
    <label className={`label block ${spans[wide] ?? ""}`}>
      {label}
      <select aria-label={says} className="field text-ink" data-field={name} value={value} onChange={(e) => set(e.target.value)}>
        {!options.some(([v]) => v === value) && <option value={value}>{value}</option>}
        {options.map(([v, words]) => (
          <option key={v} value={v}>
            {words}
          </option>
        ))}
      </select>
    </label>
  );
}
