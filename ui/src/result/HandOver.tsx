import { useRef, useState } from "react";
import type { Schemas } from "../exchange/client";
import { KeyCap } from "../frame/keys";
import { Form } from "../kit/Form";
import { Wrong } from "../kit/Wrong";

type Report = Schemas["PacketReport"];

/** Hand is to whom a report is handed, with what is to be done and when it comes back. */
export type Hand = { to: string; team?: string; instruction: string; until: string };

/** HandOver hands one report of a packet to somebody. */
export function HandOver({
  packet: p,
  reports,
  numbers,
  take,
  leave,
}: {
  packet: Schemas["PacketView"];
  reports: Report[];
  numbers: string[];
  take: (report: string, h: Hand) => void;
  leave: () => void;
}) {
  const [report, setReport] = useState(reports.length === 1 ? (reports[0]?.id ?? "") : "");
  const [hand, setHand] = useState<Hand>({ to: p.handTo[0]?.id ?? "", instruction: "", until: p.until });
  const words = useRef<HTMLInputElement>(null);
  const [error, setError] = useState("");
  return (
    <Form
      aria-label="Hand over"
      className="margin-note"
      leave={leave}
      act={() => {
        if (!report) return setError("Say which one: its number, or a click.");
        if (hand.instruction.trim() === "") return setError("Say what is to be done.");
        const team = p.handTo.find((x) => x.id === hand.to)?.team;
        take(report, team ? { ...hand, to: "", team: hand.to } : hand);
      }}
    >
      <p className="label">Hand over</p>
      <fieldset aria-label="Which report" className="flex flex-wrap gap-1">
        {reports.map((r, i) => (
          <button
            key={r.id}
            type="button"
            autoFocus={i === 0 && reports.length > 1}
            aria-pressed={report === r.id}
            className="choice px-1.5 py-0 text-small font-normal"
            onKeyDown={(e) => {
              const id = numbers[Number(e.key) - 1];
              if (!id || !reports.some((x) => x.id === id)) return;
              e.preventDefault();
              e.stopPropagation();
              setReport(id);
              words.current?.focus();
            }}
            onClick={() => {
              setReport(r.id);
              words.current?.focus();
            }}
          >
            {r.title} <KeyCap k={String(numbers.indexOf(r.id) + 1)} />
          </button>
        ))}
      </fieldset>
      <label className="label mt-1 block">
        What is to be done
        <input
          ref={words}
          autoFocus={reports.length === 1}
          className="field text-ink"
          value={hand.instruction}
          onChange={(e) => setHand({ ...hand, instruction: e.target.value })}
        />
      </label>
      <label className="label mt-1 block">
        To
        <select className="field text-ink" value={hand.to} onChange={(e) => setHand({ ...hand, to: e.target.value })}>
          {p.handTo.map((x) => (
            <option key={x.id} value={x.id}>
              {x.name}
            </option>
          ))}
          <option value="">everybody who may see results</option>
        </select>
      </label>
      <label className="label mt-1 block">
        Comes back on
        <input
          type="date"
          className="field text-ink"
          value={hand.until}
          onChange={(e) => setHand({ ...hand, until: e.target.value })}
        />
      </label>
      <Wrong says={error} className="text-aside" />
      <button type="submit" className="plain px-0">
        Hand over with the packet <KeyCap k="Enter" />
      </button>
    </Form>
  );
}
