import type { ReactNode } from "react";

/** Choice is one of several that are on or off. */
export function Choice({
  on,
  set,
  children,
  className = "",
}: {
  on: boolean;
  set: () => void;
  children: ReactNode;
  className?: string;
}) {
  return (
    <button type="button" aria-pressed={on} className={`choice px-2 py-0.5 text-small font-normal ${className}`} onClick={set}>
      {children}
    </button>
  );
}
