import type { RefObject } from "react";

/** Filter narrows a list that is there already; Enter takes what stands first. */
export function Filter({
  label,
  input,
  value,
  set,
  first,
}: {
  label: string;
  input?: RefObject<HTMLInputElement | null>;
  value: string;
  set: (words: string) => void;
  first: () => void;
}) {
  return (
    <input
      ref={input}
      aria-label={label}
      placeholder="Filter"
      className="field mb-2"
      value={value}
      onChange={(e) => set(e.target.value)}
      onKeyDown={(e) => {
        if (e.key !== "Enter" || e.ctrlKey) return;
        e.preventDefault();
        e.stopPropagation();
        first();
      }}
    />
  );
}
