import type { ReactNode } from "react";
import { KeyCap, onEscape } from "../frame/keys";

/** Panel stands beside a page with one thing to do; Escape leaves it from any field in it. Its
 * words keep what was typed. */
export function Panel({
  label,
  title,
  leave,
  word = "Leave",
  aside,
  wide = false,
  pad = false,
  column = false,
  children,
}: {
  label: string;
  title: ReactNode;
  leave?: () => void; // what Escape does
  word?: string; // of the button that does it too; "" where another says so
  aside?: ReactNode; // beside the title
  wide?: boolean;
  pad?: boolean; // as wide as the page beside it
  column?: boolean; // its last part fills what room is left
  children: ReactNode;
}) {
  return (
    <aside
      aria-label={label}
      onKeyDown={leave && onEscape(leave)}
      className={`${pad ? "w-[540px] max-half:w-full" : wide ? "w-[396px]" : "w-[372px]"} ${column ? "flex flex-col" : ""} shrink-0 overflow-auto border-l border-rule px-4 py-4 text-aside max-wide:w-full max-wide:border-l-0`}
    >
      <div className="mb-2 flex items-baseline justify-between gap-2">
        <h2 className="text-title-m">{title}</h2>
        {aside}
        {leave && word && (
          <button type="button" className="plain shrink-0" onClick={leave}>
            {word} <KeyCap k="Escape" />
          </button>
        )}
      </div>
      {children}
    </aside>
  );
}
