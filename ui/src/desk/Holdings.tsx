import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { asks } from "../exchange/asks";
import { say } from "../exchange/client";
import { useKeys } from "../frame/keys";
import { Table } from "../kit/Table";
import { Wrong } from "../kit/Wrong";
import { kinds } from "../line/kinds";

const words: Record<string, string> = { results: "Results", notes: "Notes", "under way": "Under way" };

/** Holdings is who in the practice answers for how many open lines, and for how long the oldest is open. */
export function Holdings() {
  const all = useQuery(asks.holdings());
  const [of, setOf] = useState("");
  const rows = all.data ?? [];
  const people = rows.filter((h) => h.id);
  const step = (by: number) => {
    const at = people.findIndex((h) => h.id === of);
    setOf(people[at < 0 ? 0 : Math.min(people.length - 1, Math.max(0, at + by))]?.id ?? "");
  };
  useKeys([
    { key: "ArrowDown", label: "Next person", run: () => step(1) },
    { key: "ArrowUp", label: "Person before", run: () => step(-1) },
  ]);
  return (
    <div className="flex min-h-0 flex-1 max-wide:flex-col max-wide:overflow-auto">
      <main id="page" className="min-h-0 min-w-0 flex-1 overflow-auto bg-leaf px-10 py-5 max-wide:flex-none max-phone:px-4">
        <h1 className="text-page">Who has what, and for how long</h1>
        <p className="small mb-3">Every open line of the practice, by who answers for it. Days are those of the oldest one.</p>
        {all.error && <Wrong says={say(all.error)} />}
        <Table
          className="max-w-[760px]"
          columns={[
            { word: "Who" },
            ...["results", "notes", "under way"].map((l) => ({ word: words[l] ?? l, className: "pl-5 text-right" })),
            { word: "In all", className: "pl-5 text-right" },
          ]}
        >
          {rows.map((h) => (
            <tr key={h.id + h.name} className={`border-b border-rule align-baseline ${of && of === h.id ? "bg-paper" : ""}`}>
              <th scope="row" className="py-1.5 text-left font-normal">
                {h.id ? (
                  <button
                    type="button"
                    className="font-semibold hover:underline"
                    aria-pressed={of === h.id}
                    onClick={() => setOf(of === h.id ? "" : h.id)}
                  >
                    {h.name}
                  </button>
                ) : (
                  h.name
                )}
                {h.away && <span className="small block">away: {h.away} covers</span>}
              </th>
              {h.lists.map((l) => (
                <td key={l.list} className="pl-5 text-right whitespace-nowrap">
                  {l.open + l.waiting === 0 ? (
                    <span className="text-faded">none</span>
                  ) : (
                    <>
                      <b>{l.open}</b>
                      {l.waiting > 0 && <span className="text-faded"> + {l.waiting} waiting</span>}
                      <span className={`block text-small ${l.days > 7 ? "text-carried" : "text-faded"}`}>
                        {l.days === 0 ? "today" : `${l.days} day${l.days === 1 ? "" : "s"}`}
                      </span>
                    </>
                  )}
                </td>
              ))}
              <td className="pl-5 text-right font-semibold">{h.total}</td>
            </tr>
          ))}
        </Table>
      </main>
      {of && <Lines of={of} name={people.find((h) => h.id === of)?.name ?? ""} />}
    </div>
  );
}

// Lines are the open lines of a person, gravest first.
function Lines({ of, name }: { of: string; name: string }) {
  const lines = useInfiniteQuery(asks.heldBy(of));
  const rows = (lines.data?.pages ?? []).flatMap((p) => p.rows);
  return (
    <aside
      aria-label={`Open lines of ${name}`}
      className="w-[400px] shrink-0 overflow-auto border-l border-rule px-4 py-4 text-aside max-wide:w-full max-wide:border-l-0"
    >
      <h2 className="mb-2 text-title-m">{name}</h2>
      {lines.error && <Wrong says={say(lines.error)} />}
      <ul>
        {rows.map((r) => (
          <li key={r.line} className="border-b border-rule py-1.5">
            <span className="flex items-baseline justify-between gap-3">
              <Link to={kinds[r.kind].to(r)} className="min-w-0 hover:underline">
                {r.patient ? (
                  <b>
                    {r.patient.family}, {r.patient.given}
                  </b>
                ) : (
                  <b>nobody certain</b>
                )}{" "}
                <span className="text-faded">{kinds[r.kind].word}:</span> {r.title}
              </Link>
              <span className="shrink-0 text-small text-faded">{r.days === 0 ? "today" : `${r.days} d`}</span>
            </span>
            {r.mark && <span className={`text-small ${r.grave ? "text-alarm" : "text-carried"}`}>{r.mark}</span>}
          </li>
        ))}
      </ul>
      {lines.hasNextPage && (
        <button type="button" className="plain px-0" onClick={() => void lines.fetchNextPage()}>
          More
        </button>
      )}
    </aside>
  );
}
