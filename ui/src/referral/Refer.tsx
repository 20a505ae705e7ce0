import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, onEscape, useKeys } from "../frame/keys";
import { useDraft } from "../frame/left";
import { day } from "../frame/time";
import { Choice } from "../kit/Choice";
import { Panel } from "../kit/Panel";
import { SearchList } from "../kit/SearchList";
import { Wrong } from "../kit/Wrong";
import { useAlong } from "../order/pad";
import { useRight } from "../session/me";
import { useSigning } from "../sign/useSigning";

type Addressee = Schemas["AddresseeView"];

/** says names an addressee as a letter is addressed. */
export const says = (a: Addressee) => (a.person ? `${a.person}, ${a.name}` : a.name);

/** reaches says how somebody is reached. */
export const reaches = (a: Addressee) =>
  a.reach === "electronic" ? "electronically" : a.reach === "fax" ? `by fax, ${a.fax}` : "by letter, posted or handed over";

const urgencies = [
  ["routine", "Routine"],
  ["urgent", "Urgent"],
  ["stat", "Today"],
] as const;

// The parts of a chart by the keys that choose them, which work before their texts are here.
const partKeys = ["medicines", "allergies", "problems", "results", "vitals", "immunizations", "histories", "note"];

type Draft = {
  to?: Addressee;
  question: string;
  urgency: "routine" | "urgent" | "stat";
  off: string[];
  parts: string[];
  expected: string;
};
const nothing: Draft = { question: "", urgency: "routine", off: [], parts: [], expected: "" };

/** Refer asks another practice a question, beside the page: to whom, what, and what of the chart goes along, in full
 * before it is sent. Who may not sign it lays it for the physician. */
export function Refer({
  patient,
  visitId,
  diagnoses,
  begin,
  rule,
  onto,
  close,
}: {
  patient: Schemas["PatientView"];
  visitId?: string;
  diagnoses: { code: string; title: string }[];
  /** What the search in the directory begins with. */
  begin?: string;
  /** The reminder it is written for, which is in hand until it is back. */
  rule?: string;
  /** Goes to the order pad, where it was put to be signed with the rest. */
  onto?: () => void;
  close: () => void;
}) {
  const client = useQueryClient();
  const maySign = useRight("sign a referral");
  const about = `${patient.id} ${visitId ?? ""}`;
  const {
    d,
    change: put,
    request,
    given,
  } = useDraft<Draft>(
    `referral ${about}`,
    // From a visit its diagnoses, all of them; from the chart the first problem, until others are chosen.
    () => ({ ...nothing, off: visitId ? [] : diagnoses.slice(1).map((x) => x.code) }),
    (v) => v.question.trim() === "" && !v.to && v.parts.length === 0,
  );
  const change = (x: Partial<Draft>) => {
    put(x);
    setError("");
  };
  const [words, setWords] = useState(begin ?? "");
  const [, setAlong] = useAlong(patient.id, visitId);
  const [error, setError] = useState("");
  const who = useRef<HTMLInputElement>(null);
  const question = useRef<HTMLTextAreaElement>(null);
  const { sign, dialog, busy } = useSigning();
  const along = useQuery(asks.referralParts(patient.id, visitId));
  // biome-ignore lint/correctness/useExhaustiveDependencies: only when it is opened
  useEffect(() => {
    (d.to ? question : who).current?.focus();
  }, []);
  const chosen = diagnoses.filter((x) => !d.off.includes(x.code));
  const parts = along.data?.parts ?? [];
  const goes = parts.filter((p) => d.parts.includes(p.id));
  const expected = d.expected || (along.data?.expected[d.urgency] ?? "");
  const toggle = (id: string) => change({ parts: d.parts.includes(id) ? d.parts.filter((p) => p !== id) : [...d.parts, id] });
  async function send(together = false) {
    if (!d.to) {
      setError("Say to whom.");
      who.current?.focus();
      return;
    }
    if (d.question.trim() === "") {
      setError("Write the question.");
      question.current?.focus();
      return;
    }
    if (chosen.length === 0) {
      setError(
        diagnoses.length > 0 ? "Choose a diagnosis." : "There is no diagnosis. Add one to the visit or the problem list first.",
      );
      return;
    }
    const missing = d.parts.find((id) => !parts.some((p) => p.id === id));
    if (missing) {
      setError(along.data ? `There is nothing of ${missing} to go along.` : "Look at what goes along, then sign.");
      return;
    }
    setError("");
    const body = {
      visitId,
      to: d.to.id ?? "",
      question: d.question,
      rule,
      urgency: d.urgency,
      diagnoses: chosen.map((x) => x.code),
      parts: goes.map((p) => ({ id: p.id, reads: p.reads })),
      expected: d.expected || undefined,
      requestId: request,
    };
    if (together) {
      setAlong((list) => [
        ...list,
        {
          kind: "referral",
          title: `Referral: ${d.to ? says(d.to) : ""}`,
          says: [
            d.question.trim(),
            goes.length > 0
              ? `Goes along: ${goes.map((p) => p.title.toLowerCase()).join(", ")}`
              : "Nothing of the chart goes along",
          ],
          slot: `referral ${about}`,
          draft: d,
          body,
        },
      ]);
      given();
      onto?.();
      return;
    }
    const failed = (e: unknown) => {
      setError(say(e));
      void client.invalidateQueries({ queryKey: ["referral-parts", patient.id] });
    };
    const done = () => {
      given();
      void client.invalidateQueries({ queryKey: ["chart", patient.id] });
      void client.invalidateQueries({ queryKey: ["referrals", patient.id] });
      close();
    };
    const at = { params: { path: { id: patient.id } } };
    if (!maySign) {
      try {
        await got(api.POST("/api/patients/{id}/referrals/prepared", { ...at, body }));
        done();
      } catch (e) {
        failed(e);
      }
      return;
    }
    await sign({
      title: "Sign and send the referral",
      lines: [
        `${patient.given} ${patient.family}, born ${day(patient.birthDate)}`,
        `To ${says(d.to)}, ${reaches(d.to)}`,
        goes.length > 0 ? `With ${goes.map((p) => p.title.toLowerCase()).join(", ")}` : "Nothing of the chart goes along",
      ],
      act: (secret) => got(api.POST("/api/patients/{id}/referrals", { ...at, body: { ...body, secret } })),
      done,
      failed,
    });
  }
  useKeys([
    {
      key: "Ctrl+Enter",
      label: maySign ? "Sign and send the referral" : "Lay the referral for signature",
      run: () => void send(),
    },
    ...partKeys.map((id, i) => ({
      key: `Alt+${i + 1}`,
      label: `${parts.find((p) => p.id === id)?.title ?? id} goes along, or not`,
      run: () => toggle(id),
    })),
    ...(onto ? [{ key: "Alt+g", label: "Put it on the order, to be signed with the rest", run: () => void send(true) }] : []),
    { key: "Escape", label: "Leave the referral", run: close },
  ]);
  return (
    <Panel pad label="Referral" title={maySign ? "Refer" : "Write a referral"} leave={close} word="">
      {d.to ? (
        <div className="flex items-baseline justify-between gap-3 border-b border-rule pb-2">
          <span>
            <strong className="font-semibold">{says(d.to)}</strong>
            <span className="small block">
              {d.to.specialty}
              {d.to.specialty && " · "}
              {reaches(d.to)}
              {d.to.phone && ` · telephone ${d.to.phone}`}
            </span>
            {d.to.remark && <span className="block text-small text-carried">{d.to.remark}</span>}
          </span>
          <button type="button" className="plain py-0 text-small" onClick={() => change({ to: undefined })}>
            Somebody else
          </button>
        </div>
      ) : (
        <>
          <SearchList
            label="To whom: name, what they do, or place"
            input={who}
            query={words}
            setQuery={setWords}
            search={(q) => asks.directory("practice", q)}
            hits={(found) => found}
            id={(a) => a.id ?? ""}
            choose={(a) => {
              change({ to: a });
              setWords("");
              setTimeout(() => question.current?.focus());
            }}
            none="Nobody in the directory."
            onKey={(e) => {
              if (e.key === "Escape") {
                onEscape(close)(e);
                return true;
              }
              return false;
            }}
          >
            {(a) => (
              <span className="flex items-baseline justify-between gap-3">
                <span>
                  {says(a)}
                  <span className="small block">{a.specialty}</span>
                </span>
                <span className="small shrink-0">{a.reach === "electronic" ? "electronic" : a.reach}</span>
              </span>
            )}
          </SearchList>
          <Link className="plain py-0 text-small" to="/directory">
            The directory
          </Link>
        </>
      )}
      <label className="mt-3 block">
        <span className="text-small text-faded">Question</span>
        <textarea
          ref={question}
          aria-label="Question, required"
          rows={3}
          maxLength={4000}
          className="field mt-0 font-serif text-title"
          value={d.question}
          onChange={(e) => change({ question: e.target.value })}
        />
      </label>
      <Row word="For">
        <span className="flex flex-wrap gap-1.5">
          {diagnoses.map((x) => (
            <button
              key={x.code}
              type="button"
              aria-pressed={!d.off.includes(x.code)}
              className={`min-h-6 rounded-[3px] border px-2 py-0.5 text-left text-small ${d.off.includes(x.code) ? "border-edge text-faded" : "border-ink bg-ink text-leaf"}`}
              onClick={() => change({ off: d.off.includes(x.code) ? d.off.filter((c) => c !== x.code) : [...d.off, x.code] })}
            >
              <span className="font-mono">{x.code}</span> {x.title}
            </button>
          ))}
          {diagnoses.length === 0 && (
            <span className="text-small text-carried">No diagnosis: add one to the visit or the problem list.</span>
          )}
        </span>
      </Row>
      <Row word="Urgency">
        <span className="flex flex-wrap items-baseline gap-1.5">
          {urgencies.map(([code, word]) => (
            <Choice key={code} on={d.urgency === code} set={() => change({ urgency: code, expected: "" })}>
              {word}
            </Choice>
          ))}
          <label className="ml-3 flex items-baseline gap-2 text-small">
            report wanted by
            <input
              type="date"
              className="field mt-0 w-[132px] py-0 text-small"
              value={expected}
              onChange={(e) => change({ expected: e.target.value })}
            />
          </label>
        </span>
      </Row>
      <Row word="Goes along">
        <span className="flex flex-wrap gap-1.5">
          {parts.map((p) => (
            <Choice key={p.id} on={d.parts.includes(p.id)} set={() => toggle(p.id)}>
              {p.title}
              {p.empty && <span className="font-normal opacity-70"> · nothing</span>}{" "}
              <KeyCap k={`Alt+${partKeys.indexOf(p.id) + 1}`} />
            </Choice>
          ))}
        </span>
        {goes.length === 0 && <p className="small mt-1">Only who the patient is, the question and the diagnoses.</p>}
      </Row>
      {goes.length > 0 && (
        <section aria-label="What goes along, in full" className="mt-2 border-l-[3px] border-edge pl-3">
          {goes.map((p) => (
            <div key={p.id} className="mb-2">
              <h3 className="text-small font-semibold text-kelp">{p.title}</h3>
              {p.held && (
                <p className="text-aside font-semibold text-carried">
                  {patient.given} holds something of this back from others: {p.held}. Ask before it goes along.
                </p>
              )}
              <p className="font-serif whitespace-pre-line">{p.text}</p>
            </div>
          ))}
        </section>
      )}
      <div className="sticky bottom-0 mt-3 flex flex-wrap items-center gap-x-3 gap-y-1 border-t border-rule bg-paper py-2">
        <button type="button" className="act" disabled={busy} onClick={() => void send()}>
          {maySign ? "Sign and send" : "Lay it for signature"} <KeyCap k="Ctrl+Enter" />
        </button>
        {onto && (
          <button type="button" className="choice" onClick={() => void send(true)}>
            Onto the order <KeyCap k="Alt+G" />
          </button>
        )}
        <button type="button" className="plain" onClick={close}>
          Leave <KeyCap k="Escape" />
        </button>
        <Wrong says={error || (along.error ? say(along.error) : "")} as="span" className="font-semibold" />
      </div>
      {dialog}
    </Panel>
  );
}

function Row({ word, children }: { word: string; children: React.ReactNode }) {
  return (
    <div className="flex gap-3 py-1">
      <span className="w-[76px] shrink-0 pt-0.5 text-small text-faded">{word}</span>
      <div className="min-w-0 flex-1">{children}</div>
    </div>
  );
}
