import type { ReactNode } from "react";

/** Column is the head of a column; a hidden one is only read aloud. */
export type Column = { word: string; id?: string; className?: string; hidden?: boolean };

/** Table is rows under heads. */
export function Table({ columns, className = "", children }: { columns?: Column[]; className?: string; children: ReactNode }) {
  return (
    <table className={`w-full border-collapse text-left ${className}`}>
      {columns && (
        <thead>
          <tr className="label border-b border-rule">
            {columns.map((c, i) => (
              <th key={c.id ?? c.word} className={`font-semibold ${i === 0 ? "py-1.5" : ""} ${c.className ?? ""}`}>
                {c.hidden ? <span className="sr-only">{c.word}</span> : c.word}
              </th>
            ))}
          </tr>
        </thead>
      )}
      <tbody>{children}</tbody>
    </table>
  );
}
