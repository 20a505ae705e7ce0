import { KeyCap, useKeys } from "../frame/keys";
import { type Gathered, gathered, useGathered } from "./gathered";

/** Gather puts reports among those that go on paper, or out as a file, together; once more takes them out. */
export function Gather({ reports, word }: { reports: Gathered[]; word: string }) {
  const all = useGathered();
  const inside = reports.length > 0 && reports.every((r) => all.some((x) => x.id === r.id));
  useKeys(
    reports.length > 0
      ? [{ key: "Alt+g", label: "Gather for printing, or take out again", run: () => gathered.toggle(reports) }]
      : [],
  );
  if (reports.length === 0) return null;
  return (
    <button type="button" className="plain px-0" onClick={() => gathered.toggle(reports)}>
      {inside ? "Gathered for printing: take out" : word} <KeyCap k="Alt+G" />
    </button>
  );
}
