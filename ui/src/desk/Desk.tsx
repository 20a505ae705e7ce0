import { keepPreviousData, useInfiniteQuery, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { asks } from "../exchange/asks";
import { api, got, type Schemas } from "../exchange/client";
import { KeyCap, onEscape, useKeys } from "../frame/keys";
import { useSteady } from "../frame/steady";
import { age } from "../frame/time";
import { More } from "../kit/More";
import { Tabs } from "../kit/Tabs";
import { type Kind, kindOf, kinds } from "../line/kinds";
import { Packet } from "../result/Packet";

type List = Schemas["Desk"]["list"];
type Row = Schemas["LineRow"];
type Narrow = Omit<Schemas["DeskSought"], "after" | "each" | "$schema">;

const lists: Record<List, { word: string; empty: string }> = {
  results: { word: "Results", empty: "No results wait. New ones appear here within a second of arriving." },
  notes: { word: "Notes", empty: "No notes wait for your signature." },
  "under way": {
    word: "Under way",
    empty: "No orders are under way. Those you sign stand here until their results are signed.",
  },
};

function useList(list: List, each: boolean | undefined, narrow: Narrow | null) {
  return useInfiniteQuery({
    queryKey: ["desk", "list", list, each, narrow],
    enabled: each !== undefined,
    queryFn: ({ pageParam }) =>
      narrow
        ? got(api.POST("/api/desk/narrowed", { body: { ...narrow, each, after: pageParam } }))
        : got(api.GET("/api/desk", { params: { query: { list, each, after: pageParam } } })),
    initialPageParam: "",
    getNextPageParam: (page) => page.next || undefined,
    placeholderData: keepPreviousData,
  });
}

/** Desk is the open lines of the person: one list, one page, one margin. */
export function Desk() {
  const { kind: segment = "", id = "" } = useParams();
  const kind = kindOf(segment);
  const go = useNavigate();
  const [list, setList] = useState<List>(kind ? kinds[kind].list : "results");
  const eachReport = useQuery(asks.eachReport()).data;
  const [narrowing, setNarrowing] = useState<Narrow | null>(null);
  const desk = useList(list, eachReport, list === "results" ? narrowing : null);
  const pages = desk.data?.pages ?? [];
  const shown = pages[0]?.list === list;
  const [rows, over] = useSteady(shown ? `${list}${JSON.stringify(narrowing)}` : "", shown ? pages.flatMap((p) => p.rows) : []);
  const packet = segment === "packet";
  const here = (r: Row) => (packet ? !!r.packet && r.patient?.id === id : r.id === id);
  const at = rows.findIndex(here);
  const to = (r: Row | undefined) => (r ? kinds[r.kind].to(r) : "");
  const step = (by: number) => {
    const r = rows[at < 0 ? 0 : Math.min(rows.length - 1, Math.max(0, at + by))];
    if (r) go(to(r));
    if (at + by >= rows.length - 1 && desk.hasNextPage) void desk.fetchNextPage();
  };
  // What stood after a line when it was closed is opened next; of orders to sign another one.
  const alike = kind === "to sign" ? rows.find((r) => r.kind === kind && r.id !== id) : undefined;
  const next = to(alike ?? rows[at + 1] ?? rows.find((r) => !here(r))) || "/desk";
  useKeys([
    { key: "ArrowDown", label: "Next line", run: () => step(1) },
    { key: "ArrowUp", label: "Line before", run: () => step(-1) },
    { key: "Ctrl+ArrowDown", label: "Next line, also while writing", run: () => step(1) },
    { key: "Ctrl+ArrowUp", label: "Line before, also while writing", run: () => step(-1) },
    ...(list === "results"
      ? [{ key: "Alt+r", label: "Narrow the list", run: () => setNarrowing((was) => (was ? null : {})) }]
      : []),
  ]);
  // A list opens on its first line; a kind that opens elsewhere waits to be chosen. What a quick hand has chosen
  // meanwhile stands in the address already, and stays.
  const first = rows[0] && kinds[rows[0].kind].page ? to(rows[0]) : "";
  const byItself = useRef(false);
  useEffect(() => {
    if (id || !first || location.pathname !== "/desk") return;
    byItself.current = true;
    go(first, { replace: true });
  }, [id, first, go]);
  // The line that is open is brought into view, but not the one that opened by itself: whoever has scrolled meanwhile stays there.
  useEffect(() => {
    if (!id) return;
    if (!byItself.current)
      document.querySelector('[aria-label="Open lines"] [aria-current="true"]')?.scrollIntoView({ block: "nearest" });
    byItself.current = false;
  }, [id]);
  const Page = packet ? Packet : kind && kinds[kind].page;
  return (
    <div className="flex min-h-0 flex-1 max-wide:flex-col max-wide:overflow-auto">
      <section
        aria-label="Open lines"
        className="flex w-[330px] shrink-0 flex-col border-r border-rule max-wide:max-h-64 max-wide:w-full"
      >
        {/* Not before the counts are known: they would move a list away under the pointer. */}
        <Tabs
          label="Kinds of line"
          hidden={pages.length === 0}
          tabs={(Object.keys(lists) as List[]).map((key) => ({
            key,
            word: `${lists[key].word} ${pages[0]?.lists.find((l) => l.list === key)?.count ?? ""}`,
          }))}
          at={list}
          choose={(key) => {
            setList(key);
            go("/desk"); // what is open is a line of the other list
          }}
        />
        {list === "results" &&
          (narrowing ? (
            <NarrowBy
              at={narrowing}
              set={setNarrowing}
              found={pages[0]?.found}
              facilities={pages[0]?.facilities ?? []}
              each={eachReport ?? false}
            />
          ) : (
            <button
              type="button"
              className="plain w-full border-b border-rule px-4 py-1 text-left text-small"
              onClick={() => setNarrowing({})}
            >
              Narrow <KeyCap k="Alt+R" />
            </button>
          ))}
        <ul className="min-h-0 flex-1 overflow-auto" {...over}>
          {rows.map((r) => (
            <li key={r.line} className="[contain-intrinsic-size:auto_57px] [content-visibility:auto]">
              <Link
                id={`line-${r.id}`}
                to={to(r)}
                aria-current={here(r)}
                className={`block border-b border-rule px-4 py-2 ${here(r) ? "border-l-[3px] border-l-kelp bg-leaf pl-[13px]" : "hover:bg-kelp-wash"}`}
              >
                <LineRow row={r} />
              </Link>
            </li>
          ))}
          {shown && (
            <li>
              <More of={desk} itself />
            </li>
          )}
          {desk.isSuccess && shown && rows.length === 0 && <li className="small px-4 py-4">{lists[list].empty}</li>}
        </ul>
      </section>
      {Page ? (
        <Page key={id} id={id} next={next} />
      ) : (
        <main id="page" className="min-w-0 flex-1 bg-leaf p-8 small">
          {desk.isSuccess && rows.length > 0 ? "Choose a line." : ""}
        </main>
      )}
    </div>
  );
}

// What narrows the list of results, as it is typed.
function NarrowBy({
  at,
  set,
  found,
  facilities,
  each,
}: {
  at: Narrow;
  set: (n: Narrow | null) => void;
  found?: number;
  facilities: string[];
  each: boolean;
}) {
  const client = useQueryClient();
  const pick = (name: keyof Narrow, word: string, choices: [string, string][]) => (
    <select
      aria-label={word}
      className="field w-auto py-0 text-small"
      value={String(at[name] ?? "")}
      onChange={(e) => set({ ...at, [name]: name === "days" ? Number(e.target.value) : e.target.value })}
    >
      {choices.map(([value, says]) => (
        <option key={value} value={value}>
          {says}
        </option>
      ))}
    </select>
  );
  return (
    <fieldset
      aria-label="Narrow the list"
      className="flex flex-wrap gap-1 border-b border-rule px-4 py-2"
      onKeyDown={onEscape(() => set(null))}
    >
      <input
        autoFocus
        aria-label="Words: patient, report or facility"
        placeholder="Patient, report, facility"
        className="field py-0.5"
        value={at.words ?? ""}
        onChange={(e) => set({ ...at, words: e.target.value })}
      />
      {pick("state", "State", [
        ["", "any state"],
        ["final", "final"],
        ["preliminary", "preliminary"],
        ["corrected", "corrected"],
      ])}
      {pick("flag", "Flag", [
        ["", "any flag"],
        ["critical", "critical"],
        ["out of range", "out of range"],
        ["not judged", "not judged by anybody"],
        ["in range", "in range"],
      ])}
      {pick("facility", "Facility", [["", "any facility"], ...facilities.map((f): [string, string] => [f, f])])}
      {pick("days", "Age", [
        ["0", "any age"],
        ["1", "a day or older"],
        ["3", "3 days or older"],
        ["7", "a week or older"],
      ])}
      {pick("whose", "Whose", [
        ["", "mine and the team's"],
        ["mine", "mine"],
        ["covered", "of those I cover for"],
        ["team", "of nobody yet"],
      ])}
      {pick("sort", "Order", [
        ["", "gravest first"],
        ["oldest", "oldest first"],
        ["patient", "by patient"],
      ])}
      <label className="flex items-center gap-1 text-small">
        <input
          type="checkbox"
          className="size-4 accent-kelp"
          checked={each}
          onChange={(e) =>
            void got(api.PUT("/api/session/rows", { body: { each: e.target.checked } })).then(() =>
              client.invalidateQueries({ queryKey: ["desk rows"] }),
            )
          }
        />
        a row for each report
      </label>
      <span role="status" className="small ml-auto">
        {found !== undefined && `${found} found`}
      </span>
    </fieldset>
  );
}

function LineRow({ row: r }: { row: Row }) {
  const Mark = kinds[r.kind as Kind].mark;
  return (
    <>
      <span className="flex items-baseline justify-between gap-2">
        <span className="text-read font-semibold">
          {r.patient ? `${r.patient.given} ${r.patient.family}` : "No certain patient"}
        </span>
        <Mark row={r} />
      </span>
      <span className="small flex justify-between gap-2">
        <span>{r.title}</span>
        <span className="shrink-0">{age(r.since)}</span>
      </span>
    </>
  );
}
