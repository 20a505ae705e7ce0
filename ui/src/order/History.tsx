import { keepPreviousData, useInfiniteQuery } from "@tanstack/react-query";
import { useDeferredValue, useRef, useState } from "react";
import { Link, useParams } from "react-router";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, onEscape, useKeys } from "../frame/keys";
import { clock, day } from "../frame/time";
import { Choice } from "../kit/Choice";
import { More } from "../kit/More";
import { Table } from "../kit/Table";
import { Referrals, UnderWay } from "../referral/Referrals";
import { happened } from "./AskAfter";

const which = [
  ["late", "Late", "Orders whose next event is overdue."],
  ["going", "Under way", "Orders of which something is still expected."],
  ["all", "All", "Every order, the newest first."],
] as const;
type Which = (typeof which)[number][0];

/** History is the orders of a patient, or of the practice: a row each, with when it was ordered, for when it is, where
 * it stands and what is awaited. */
export function History() {
  const { id: patient } = useParams();
  const [show, setShow] = useState<Which>(patient ? "all" : "late");
  const [typed, setTyped] = useState("");
  const words = useDeferredValue(typed.trim());
  const filter = useRef<HTMLInputElement>(null);
  const pages = useInfiniteQuery({
    queryKey: ["orders", patient ?? "", show, words],
    queryFn: ({ pageParam }) => got(api.POST("/api/orders", { body: { patient, which: show, words, after: pageParam } })),
    initialPageParam: "",
    placeholderData: keepPreviousData,
    getNextPageParam: (last) => last.more || undefined,
  });
  const rows = pages.data?.pages.flatMap((p) => p.rows) ?? [];
  useKeys([
    ...which.map(([code, word], i) => ({ key: String(i + 1), label: `${word}: orders`, run: () => setShow(code) })),
    { key: "f", label: "Filter the orders", run: () => filter.current?.focus() },
  ]);
  const whose = rows[0]?.patient;
  return (
    <main id="page" className="min-h-0 flex-1 overflow-auto bg-leaf px-10 py-5 max-phone:px-4">
      <h1 className="text-page">
        Orders
        {patient && whose && (
          <>
            {" of "}
            <Link to={`/patients/${patient}`} className="hover:underline">
              {whose.given} {whose.family}
            </Link>
          </>
        )}
      </h1>
      <p className="mt-2 mb-3 flex flex-wrap items-baseline gap-2">
        {which.map(([code, word, title]) => (
          <Choice key={code} on={show === code} set={() => setShow(code)}>
            <span title={title}>{word}</span>
          </Choice>
        ))}
        <input
          ref={filter}
          aria-label="Filter: test, patient, laboratory, clinician, number or state"
          placeholder="test, patient, laboratory, clinician, state"
          className="field mt-0 w-[300px] py-0.5 text-small"
          maxLength={200}
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
          onKeyDown={onEscape(() => {
            setTyped("");
            filter.current?.blur();
          })}
        />
        <KeyCap k="f" />
        <span className="small">{which.find(([code]) => code === show)?.[2]}</span>
      </p>
      {pages.error && <p className="small">{say(pages.error)}</p>}
      {pages.data && rows.length === 0 && (
        <p className="small">
          {words
            ? "No order with all of these words."
            : show === "late"
              ? "Nothing is late. An order stands here when its next event is overdue."
              : "No order yet."}
        </p>
      )}
      {rows.length > 0 && (
        <Table
          className="text-aside"
          columns={[
            { word: "Ordered", className: "w-36" },
            ...(patient ? [] : [{ word: "Patient", className: "w-44" }]),
            { word: "What" },
            { word: "By", className: "w-32 max-slim:hidden" },
            { word: "Stands", className: "w-44" },
            { word: "Awaited", className: "w-56" },
          ]}
        >
          {rows.map((r, i) => (
            <Row key={r.order.id} r={r} together={rows[i - 1]?.order.together === r.order.together} patient={!patient} />
          ))}
        </Table>
      )}
      <More of={pages} word="Earlier ones" itself />
      {patient ? <Referrals patient={patient} words={words} /> : <UnderWay late={show === "late"} words={words} />}
    </main>
  );
}

function Row({ r, together, patient }: { r: Schemas["OrderRowView"]; together: boolean; patient: boolean }) {
  const o = r.order;
  return (
    <tr className="border-b border-rule align-baseline [contain-intrinsic-size:auto_34px] [content-visibility:auto]">
      <td className="py-1.5 pr-2 whitespace-nowrap">
        {together ? (
          <span className="text-faded">with the one above</span>
        ) : (
          <>
            {day(o.signedAt)} <span className="text-faded">{clock(o.signedAt)}</span>
          </>
        )}
      </td>
      {patient && (
        <td className="pr-2">
          <Link to={`/patients/${r.patient.id}`} className="hover:underline">
            {r.patient.given} {r.patient.family}
          </Link>
        </td>
      )}
      <td className="pr-3">
        <Link to={`/desk/order/${o.id}`} className="font-semibold hover:underline">
          {o.tests.map((t) => t.name).join(", ")}
        </Link>
        <span className="small">
          {" "}
          · {o.laboratory} · <span className="font-mono">{o.placer}</span>
          {o.standing && ` · standing, ${o.standing}`}
          {o.due && ` · for ${day(o.due)}`}
        </span>
      </td>
      <td className="pr-2 max-slim:hidden">{o.clinician}</td>
      <td className="pr-2">
        {o.state}
        {o.reason && <span className="small block">{o.reason}</span>}
      </td>
      <td>
        {r.next.what ? (
          <>
            {r.next.late && <strong className="font-semibold text-carried">late · </strong>}
            {r.next.what} <span className="text-faded">by {day(r.next.by)}</span>
            {r.next.unsure && <span className="small block">the list says no turnaround; a week is taken</span>}
          </>
        ) : (
          <span className="text-faded">{o.state === "final" ? "to be signed here" : ""}</span>
        )}
        {r.done.slice(-1).map((d) => (
          <span key={d.at} className="small block">
            {happened(d)}
          </span>
        ))}
      </td>
    </tr>
  );
}
