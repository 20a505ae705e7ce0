import { useInfiniteQuery } from "@tanstack/react-query";
import { api, got, say } from "../exchange/client";
import { clockSeconds, day } from "../frame/time";
import { More } from "../kit/More";
import { Table } from "../kit/Table";

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
      <Table className="text-aside" columns={["When", "Who", "Act", "Chart", "Subject"].map((word) => ({ word }))}>
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
      </Table>
      <More of={rows} word="Earlier" />
    </main>
  );
}
