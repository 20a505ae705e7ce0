import { useQuery } from "@tanstack/react-query";
import { asks } from "../../exchange/asks";
import type { Note } from "../useNote";

const words: Record<string, string> = {
  "could not be computed": "could not be computed",
  missed: "missed",
  "not known": "not known",
  "in hand": "ordered",
  met: "met",
};

/** Measures says which measures of quality this visit meets or misses, and why. */
export function Measures({ note, open = false }: { note: Note; open?: boolean }) {
  const measures = useQuery(asks.measures(note.id, note.listVersion));
  const all = measures.data ?? [];
  if (all.length === 0) return null;
  const met = all.filter((m) => m.state === "met");
  const rest = all.filter((m) => m.state !== "met");
  return (
    <details className="mb-5 text-aside" aria-label="Measures" open={open}>
      <summary className="cursor-pointer font-semibold">
        Measures: {met.length} met
        {["could not be computed", "missed", "not known", "in hand"].map((state) => {
          const n = rest.filter((m) => m.state === state).length;
          return n > 0 ? `, ${n} ${words[state]}` : "";
        })}
      </summary>
      <ul>
        {[...rest, ...met].map((m) => (
          <li key={m.id} className="border-t border-rule py-1" title={`After ${m.source}`}>
            <span className={m.state === "missed" ? "font-semibold text-carried" : "text-faded"}>{words[m.state]}</span> {m.title}
            <span className="block text-faded">
              {m.says} · {m.source}
            </span>
          </li>
        ))}
      </ul>
    </details>
  );
}
