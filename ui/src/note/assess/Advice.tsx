import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { asks } from "../../exchange/asks";
import { api, got, type Schemas } from "../../exchange/client";
import { Why } from "../../kit/Form";
import { Wrong } from "../../kit/Wrong";
import { type Note, useChange } from "../useNote";

type Item = Schemas["AdviceView"];

/** Advice is what the tabular list, age and sex say of the visit's diagnoses: each
 * with its words and its place, settled in one act or answered with a reason. */
export function Advice({ note, maySign }: { note: Note; maySign: boolean }) {
  const act = useChange(note.id);
  const [shown, setShown] = useState(false);
  const put = (codes: string[]) => act.diagnoses(() => codes);
  const answer = (key: string, reason: string) =>
    act.run(() => got(api.POST("/api/notes/{id}/advice", { params: { path: { id: note.id } }, body: { key, reason } })));
  const open = note.advice.filter((a) => !a.answer);
  const now = open.filter((a) => a.kind !== "additional");
  const more = open.filter((a) => a.kind === "additional");
  const answered = note.advice.filter((a) => a.answer);
  if (note.advice.length === 0) return null;
  return (
    <section aria-label="Remarks on the diagnoses" className="mb-5">
      <Wrong says={act.error} className="text-aside" />
      {now.map((a) => (
        <Remark key={a.key} item={a} note={note} maySign={maySign} put={put} answer={answer} />
      ))}
      {more.length > 0 && (
        <button type="button" className="plain text-aside" aria-expanded={shown} onClick={() => setShown(!shown)}>
          {more.length === 1 ? "One code asks" : `${more.length} codes ask`} for a further one
        </button>
      )}
      {shown && more.map((a) => <Remark key={a.key} item={a} note={note} maySign={maySign} put={put} answer={answer} />)}
      {answered.map((a) => (
        <p key={a.key} className="small mb-2">
          {a.says}: {a.answer}, {a.by}
        </p>
      ))}
    </section>
  );
}

function Remark({
  item: a,
  note,
  maySign,
  put,
  answer,
}: {
  item: Item;
  note: Note;
  maySign: boolean;
  put: (codes: string[]) => Promise<unknown>;
  answer: (key: string, reason: string) => Promise<unknown>;
}) {
  const [why, setWhy] = useState(false);
  const [asking, setAsking] = useState(false);
  const codes = note.diagnoses.map((d) => d.code);
  const at = codes.indexOf(a.codes[0] ?? "");
  return (
    <div className={`margin-note mb-4 ${a.stops ? "border-alarm" : "border-carried"}`} data-advice={a.kind}>
      <span className="block font-semibold">{a.says}</span>
      <span className="flex flex-wrap items-baseline gap-x-3">
        {a.kind === "order" && (
          <button type="button" className="plain py-0" onClick={() => void put(a.offers)}>
            Put them in this order
          </button>
        )}
        {a.kind === "combined" && (
          <button
            type="button"
            className="plain py-0"
            onClick={() => void put(codes.map((c) => (c === a.codes[0] ? (a.offers[0] ?? c) : c)))}
          >
            Use {a.offers[0]}
          </button>
        )}
        {(a.kind === "first" || a.kind === "additional") && (
          <Further offers={a.offers} add={(c) => void put(codes.toSpliced(a.kind === "first" ? at : at + 1, 0, c))} />
        )}
        {a.kind === "excludes" &&
          a.stops &&
          a.codes.map((c) => (
            <button key={c} type="button" className="plain py-0" onClick={() => void put(codes.filter((x) => x !== c))}>
              Take {c} off
            </button>
          ))}
        {!asking && (!a.stops || maySign) && (
          <button type="button" className="plain py-0" onClick={() => (a.stops ? setAsking(true) : void answer(a.key, ""))}>
            {a.stops ? "Unrelated, because…" : "Does not apply"}
          </button>
        )}
        <button type="button" className="plain py-0" aria-expanded={why} onClick={() => setWhy(!why)}>
          Why
        </button>
      </span>
      {asking && (
        <Why
          label="Why both are right"
          says="Why both are right here"
          word="Answer"
          act={(reason) => answer(a.key, reason).then(() => setAsking(false))}
          leave={() => setAsking(false)}
        />
      )}
      {why && (
        <span className="block text-faded">
          {a.quote}
          <span className="block">{a.source}</span>
        </span>
      )}
    </div>
  );
}

// Further offers codes that a note names; a heading opens to its codes.
function Further({ offers, add }: { offers: string[]; add: (code: string) => void }) {
  const [under, setUnder] = useState("");
  const opened = useQuery({
    ...asks.codes(under, ""),
    enabled: under !== "",
  });
  const named = useQuery({
    ...asks.codesNamed(offers.join(" ")),
    enabled: offers.length > 0,
  });
  const list = under ? (opened.data ?? []) : (named.data ?? []);
  return (
    <span className="block w-full">
      {list.map((c) => (
        <button
          key={c.code}
          type="button"
          className="block w-full py-0.5 text-left hover:bg-kelp-wash"
          onClick={() => (c.billable ? add(c.code) : setUnder(c.code))}
        >
          <span className="font-mono text-small">{c.code}</span> {c.title}
          {!c.billable && <span className="text-faded"> …</span>}
        </button>
      ))}
    </span>
  );
}
