import { useInfiniteQuery } from "@tanstack/react-query";
import { api, got, say } from "../exchange/client";
import { clockSeconds, day } from "../frame/time";
import { More } from "../kit/More";

/** Audit lists who looked at what and did what, newest first. */
export function Audit() {
  const rows = useInfiniteQuery({
    queryKey: ["audit"],
    initialPageParam: 0,
    queryFn: ({ pageParam }) => got(api.GET("/api/audit", { params: { query: { before: pageParam } } })),
    getNextPageParam: (last) => (last && last.length === 200 ? last.at(-1)?.id : undefined),
  });
  const all = rows.data?.pages.flatMap((p) => p ?? []) ?? [];
  return (
    <main id="page" className="min-h-0 flex-1 overflow-auto bg-leaf px-6 py-5">
      <h1 className="mb-3 text-page">Audit</h1>
      {rows.error && <p>{say(rows.error)}</p>}
      <table className="w-full border-collapse text-left text-aside">
        <thead>
          <tr className="label border-b border-rule">
            <th className="py-1 font-semibold">When</th>
            <th className="font-semibold">Who</th>
            <th className="font-semibold">Act</th>
            <th className="font-semibold">Chart</th>
            <th className="font-semibold">Subject</th>
          </tr>
        </thead>
        <tbody>
          {all.map((r) => (
            <tr key={r.id} className="h-[30px] border-b border-rule">
              <td className="whitespace-nowrap">
                {day(r.at)} {clockSeconds(r.at)}
              </td>
              <td>{r.who}</td>
              <td>{r.act}</td>
              <td className="font-mono text-code text-faded">{r.patient}</td>
              <td className="font-mono text-code text-faded">{r.subject}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <More of={rows} word="Earlier" />
    </main>
  );
}
