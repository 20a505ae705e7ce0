import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, onEscape, useKeys } from "../frame/keys";
import { useDraft } from "../frame/left";
import { day } from "../frame/time";
import { Care } from "../kit/Care";
import { Choice } from "../kit/Choice";
import { Why } from "../kit/Form";
import { Panel } from "../kit/Panel";
import { Wrong } from "../kit/Wrong";
import { useAlong } from "../order/pad";
import { useRight } from "../session/me";
import { useSigning } from "../sign/useSigning";

type Drug = Schemas["Drug"];
type Medicine = { id: string; name: string; dose: string };

type Draft = {
  line: string;
  chosen: string;
  drug?: Drug; // once a part was changed by hand
  instead: string; // of the list; "" for not said
  beside: boolean;
  to?: string; // undefined until chosen: the first pharmacy
  reason: string;
  looked: boolean;
  cosigner?: string;
};
const nothing: Draft = { line: "", chosen: "", instead: "", beside: false, reason: "", looked: false };

/** Prescribe writes a prescription beside the page: one line is read as it is typed, checked against the chart, and
 * shown as it will read, every part of it to be changed. Who may not sign it lays it for the physician. */
export function Prescribe({
  patient,
  visitId,
  medicines,
  answers,
  begin,
  onto,
  close,
}: {
  patient: Schemas["PatientView"];
  visitId?: string;
  medicines: Medicine[];
  /** A request of a pharmacy that this prescription answers, as a line. */
  answers?: { inquiry: string; line: string };
  /** What the line begins with, where nothing was left on it. */
  begin?: string;
  /** Goes to the order pad, where it was put to be signed with the rest. */
  onto?: () => void;
  close: () => void;
}) {
  const client = useQueryClient();
  const maySign = useRight("sign a prescription");
  const about = `${patient.id} ${visitId ?? answers?.inquiry ?? ""}`;
  const {
    d,
    change: put,
    request,
    given,
  } = useDraft<Draft>(
    `prescription ${about}`,
    () => ({ ...nothing, line: answers?.line ?? begin ?? "" }),
    (v) => v.line.trim() === "" && !v.drug,
  );
  const change = (x: Partial<Draft>) => {
    put(x);
    setError("");
  };
  const [error, setError] = useState("");
  const [code, setCode] = useState("");
  const [, setAlong] = useAlong(patient.id, visitId);
  const [stopping, setStopping] = useState("");
  const input = useRef<HTMLInputElement>(null);
  const why = useRef<HTMLInputElement>(null);
  const { sign, dialog, busy } = useSigning();
  useEffect(() => input.current?.focus(), []);
  const pharmacies = useQuery(asks.directory("pharmacy", ""));
  const to = d.to ?? pharmacies.data?.[0]?.id ?? "";
  const typed = {
    line: d.line,
    chosen: d.chosen || undefined,
    drug: d.drug,
    instead: d.instead || undefined,
    print: to === "",
    looked: d.looked,
  };
  const empty = !d.drug && d.line.trim() === "";
  const read = useQuery({ ...asks.prescription(patient.id, typed), enabled: !empty, placeholderData: keepPreviousData });
  const r = empty ? undefined : read.data;
  // The printed way is the one that counts for a controlled substance, until another is chosen.
  const controlled = r?.schedule ?? "";
  const target = d.to === undefined && controlled ? "" : to;
  const same = r?.onList.find((m) => m.same);
  const other = same ? undefined : r?.onList[0];
  const instead = d.instead || (other && !d.beside ? other.id : "");
  // Who may sign some, but not this, lays it for a cosigner.
  const signs = maySign && !r?.cosigner;
  const cosigners = useQuery({ ...asks.colleagues(), enabled: r?.cosigner ?? false });
  const edit = (x: Partial<Drug>) => r && change({ drug: { ...r.drug, ...x } });
  async function send(together = false) {
    if (empty) {
      setError("Write the medicine and how it is taken.");
      return;
    }
    // What is signed is what stands on the screen: it is read once more, with all that was typed.
    const now = await client.fetchQuery({ ...asks.prescription(patient.id, { ...typed, print: target === "" }), staleTime: 0 });
    const stop = now.remarks.find((x) => x.grade === "stop");
    if (now.ask.length > 0) setError(`The line says ${now.ask.join(" and ")} in two ways. Say which.`);
    else if (now.lacks) setError(`Not complete: ${now.lacks}.`);
    else if (stop) setError(stop.says);
    else if (JSON.stringify([now.drug, now.warnings]) !== JSON.stringify([r?.drug, r?.warnings]))
      setError("Look at how it reads now, then sign.");
    else if (now.cosigner && !d.cosigner) {
      setError("Schedule II is beyond your right: say who cosigns.");
      document.querySelector<HTMLElement>('[aria-label="Who cosigns"]')?.focus();
    } else if (together && now.cosigner) setError("What a cosigner signs is laid for them by itself.");
    else if (together && controlled && target !== "" && maySign)
      setError("A controlled substance that is sent is signed by itself, with the second factor.");
    else if (now.serious && d.reason.trim() === "" && signs) {
      setError("A serious warning: say why it is prescribed all the same.");
      why.current?.focus();
    } else if (together) putOn(now);
    else if (controlled && target !== "" && signs && code.trim() === "") setError("Enter the code of your second factor.");
    else await commit(now);
  }
  const bodyOf = (now: Schemas["Reading"]) => ({
    visitId,
    to: target || undefined,
    drug: now.drug,
    instead: instead || undefined,
    beside: d.beside || undefined,
    for: d.cosigner || undefined,
    reason: d.reason.trim() || undefined,
    looked: d.looked || undefined,
    inquiry: answers?.inquiry,
    requestId: request,
  });
  function putOn(now: Schemas["Reading"]) {
    const where = pharmacies.data?.find((p) => p.id === target)?.name ?? "printed";
    setAlong((list) => [
      ...list,
      {
        kind: "prescription",
        title: now.says,
        says: [`${now.reads}.`, `${now.amount}, refills ${now.drug.refills} · ${where}`],
        slot: `prescription ${about}`,
        draft: d,
        body: bodyOf(now),
      },
    ]);
    given();
    onto?.();
  }
  async function commit(now: Schemas["Reading"]) {
    const body = bodyOf(now);
    const at = { params: { path: { id: patient.id } } };
    const done = () => {
      given();
      void client.invalidateQueries({ queryKey: ["chart", patient.id] });
      void client.invalidateQueries({ queryKey: ["prescriptions", patient.id] });
      close();
    };
    const failed = (e: unknown) => {
      setCode("");
      setError(say(e));
    };
    if (!signs) {
      try {
        await got(api.POST("/api/patients/{id}/prescriptions/prepared", { ...at, body }));
        done();
      } catch (e) {
        failed(e);
      }
      return;
    }
    await sign({
      title: target ? "Sign and send the prescription" : "Sign the prescription",
      lines: [
        `${patient.given} ${patient.family}, born ${day(patient.birthDate)}`,
        now.says,
        now.reads,
        `${now.amount}, refills ${now.drug.refills}`,
      ],
      act: (secret) =>
        got(api.POST("/api/patients/{id}/prescriptions", { ...at, body: { ...body, secret, code: code.trim() || undefined } })),
      done,
      failed,
    });
  }
  async function stop(reason: string) {
    setError("");
    try {
      await got(
        api.POST("/api/patients/{id}/medicines/{medicine}/stop", {
          params: { path: { id: patient.id, medicine: stopping } },
          body: { reason },
        }),
      );
      setStopping("");
      void client.invalidateQueries({ queryKey: ["chart", patient.id] });
    } catch (e) {
      setError(say(e));
    }
  }
  useKeys([
    {
      key: "Ctrl+Enter",
      label: maySign ? "Sign and send the prescription" : "Lay the prescription for signature",
      run: () => void send(),
    },
    ...(onto ? [{ key: "Alt+g", label: "Put it on the order, to be signed with the rest", run: () => void send(true) }] : []),
    { key: "Escape", label: "Leave the prescription", run: close },
  ]);
  return (
    <Panel pad label="Prescription" title={maySign ? "Prescribe" : "Write a prescription"} leave={close} word="">
      <input
        ref={input}
        aria-label="Medicine, how it is taken, quantity, refills: in one line"
        placeholder="amoxicillin 500 mg capsule 1 capsule three times daily for 10 days"
        className="field"
        autoComplete="off"
        maxLength={600}
        value={d.line}
        onChange={(e) => change({ line: e.target.value, drug: undefined, chosen: "" })}
        onKeyDown={onEscape(close)}
      />
      {empty && (
        <>
          <p className="small mt-1">Then the quantity and refills, as in #30 and 2 refills, or a 90 day supply.</p>
          {medicines.length > 0 && (
            <section aria-label="On the list" className="mt-3">
              <h3 className="text-small font-semibold text-kelp">On the list</h3>
              <ul>
                {medicines.map((m) => (
                  <li key={m.id} className="flex items-baseline justify-between gap-2 border-b border-rule py-1">
                    <span>
                      {m.name} <span className="text-faded">{m.dose}</span>
                    </span>
                    {stopping === m.id ? (
                      <Why label={`Why ${m.name} is stopped`} word="Stop it" act={stop} leave={() => setStopping("")} />
                    ) : (
                      <span className="shrink-0 text-small">
                        <button
                          type="button"
                          className="plain py-0 text-small"
                          onClick={() => change({ line: `${m.name} ${m.dose}` })}
                        >
                          Renew<span className="sr-only"> {m.name}</span>
                        </button>
                        <button
                          type="button"
                          className="plain py-0 text-small"
                          onClick={() => {
                            change({ line: `${m.name} `, instead: m.id });
                            input.current?.focus();
                          }}
                        >
                          Change<span className="sr-only"> {m.name}</span>
                        </button>
                        {maySign && (
                          <button type="button" className="plain py-0 text-small" onClick={() => setStopping(m.id)}>
                            Stop<span className="sr-only"> {m.name}</span>
                          </button>
                        )}
                      </span>
                    )}
                  </li>
                ))}
              </ul>
            </section>
          )}
        </>
      )}
      {r && (
        <>
          {!d.drug && r.hits.length > 0 && (!r.known || r.hits.some((h) => h.near)) && (
            <p className="mt-1.5 flex flex-wrap items-baseline gap-1.5 text-small">
              <span className="text-faded">Meant is</span>
              {r.hits.slice(0, 5).map((h) => (
                <Choice key={h.name} on={r.drug.medicine === h.name} set={() => change({ chosen: h.name })}>
                  {h.name}
                  {h.under && ` (${h.under})`}
                </Choice>
              ))}
            </p>
          )}
          <p className="mt-3 font-serif text-title" aria-live="polite" aria-busy={read.isPlaceholderData}>
            <strong className="font-semibold">{r.says || "…"}</strong>
            {r.reads && <span className="block">{r.reads}.</span>}
            <span className="block">
              {r.amount || "no quantity"}
              {r.drug.days ? `, ${r.drug.days} days` : ""}, {r.drug.refills === 0 ? "no refills" : `refills ${r.drug.refills}`}
              {r.drug.asWritten ? ", no substitution" : ""}
              {r.drug.indication ? `, for ${r.drug.indication}` : ""}
            </span>
          </p>
          {r.lacks && !read.isPlaceholderData && d.line.trim().includes(" ") && (
            <p className="mt-1 text-small text-carried">Not complete: {r.lacks}.</p>
          )}
          {controlled && <p className="mt-1 font-semibold text-carried">Controlled substance, schedule {controlled}.</p>}
          <div className="mt-2 text-aside">
            <Care warnings={r.warnings} />
            {r.says && r.warnings.length === 0 && r.remarks.length === 0 && (
              <p className="text-faded">
                Held against allergies, medicines, problems, kidney function and age: none of the rules that ship speaks against
                it.
              </p>
            )}
            {r.remarks.map((x) => (
              <p key={x.says} className={x.grade === "stop" ? "text-alarm" : x.grade === "mind" ? "text-carried" : "text-faded"}>
                <span className="font-semibold">{x.grade === "stop" ? "■ " : x.grade === "mind" ? "▲ " : "? "}</span>
                {x.says}
                {x.source && <span className="small"> ({x.source})</span>}
              </p>
            ))}
          </div>
          {r.serious && signs && (
            <input
              ref={why}
              aria-label="Why it is prescribed all the same"
              placeholder="Why it is prescribed all the same"
              className="field mt-1 border-alarm"
              maxLength={1000}
              value={d.reason}
              onChange={(e) => change({ reason: e.target.value })}
            />
          )}
          {other && (
            <p className="mt-2 flex flex-wrap items-baseline gap-1.5 text-small">
              <span>{other.says} is on the list:</span>
              <Choice on={instead !== "" && !d.beside} set={() => change({ instead: other.id, beside: false })}>
                In its place
              </Choice>
              <Choice on={d.beside} set={() => change({ instead: "", beside: true })}>
                Beside it
              </Choice>
            </p>
          )}
          {same && <p className="small mt-2">A renewal: {same.says} stays on the list as it is.</p>}
          <Parts r={r} edit={edit} />
        </>
      )}
      <div className="mt-2 flex flex-wrap items-baseline gap-1.5">
        <span className="w-[76px] shrink-0 text-small text-faded">Goes to</span>
        {(pharmacies.data ?? []).map((p) => (
          <Choice key={p.id} on={target === p.id} set={() => change({ to: p.id })}>
            {p.name}
          </Choice>
        ))}
        <Choice on={target === ""} set={() => change({ to: "" })}>
          Print
        </Choice>
      </div>
      {controlled && (
        <div className="mt-2 flex flex-wrap items-baseline gap-3 text-small">
          <label className="flex items-baseline gap-1.5">
            <input type="checkbox" checked={d.looked} onChange={(e) => change({ looked: e.target.checked })} />I looked at the
            state's monitoring programme today
          </label>
          {target !== "" && signs && (
            <label className="flex items-baseline gap-2">
              Code of the second factor
              <input
                inputMode="numeric"
                autoComplete="one-time-code"
                className="field mt-0 w-[90px] py-0 font-mono"
                maxLength={8}
                value={code}
                onChange={(e) => setCode(e.target.value)}
              />
            </label>
          )}
        </div>
      )}
      {r?.cosigner && (
        <label className="mt-2 flex items-baseline gap-2 text-small">
          <span className="text-carried">Schedule II is beyond your right. It is laid for</span>
          <select
            aria-label="Who cosigns"
            className="min-h-6 rounded-[3px] border border-edge bg-leaf px-1 py-0.5 text-small"
            value={d.cosigner ?? ""}
            onChange={(e) => change({ cosigner: e.target.value })}
          >
            <option value="">a cosigner</option>
            {(cosigners.data ?? [])
              .filter((c) => c.cosigns)
              .map((c) => (
                <option key={c.id} value={c.id}>
                  {c.name}
                </option>
              ))}
          </select>
        </label>
      )}
      <div className="sticky bottom-0 mt-3 flex flex-wrap items-center gap-x-3 gap-y-1 border-t border-rule bg-paper py-2">
        <button type="button" className="act" disabled={busy} onClick={() => void send()}>
          {!signs ? "Lay it for signature" : target ? "Sign and send" : "Sign"} <KeyCap k="Ctrl+Enter" />
        </button>
        {onto && (
          <button type="button" className="choice" onClick={() => void send(true)}>
            Onto the order <KeyCap k="Alt+G" />
          </button>
        )}
        <button type="button" className="plain" onClick={close}>
          Leave <KeyCap k="Escape" />
        </button>
        <Wrong says={error || (read.error ? say(read.error) : "")} as="span" className="font-semibold" />
      </div>
      {dialog}
    </Panel>
  );
}

// Parts are the parts of a prescription, each to be changed by hand.
function Parts({ r, edit }: { r: Schemas["Reading"]; edit: (x: Partial<Drug>) => void }) {
  const d = r.drug;
  const field = (
    of: "medicine" | "strength" | "form" | "dose" | "quantity" | "unit" | "indication" | "note",
    word: string,
    width: string,
    list?: string,
  ) => (
    <label className="flex flex-col">
      <span className="text-small text-faded">{word}</span>
      <input
        aria-label={word}
        list={list}
        className={`field mt-0 py-0.5 ${width}`}
        value={d[of] ?? ""}
        onChange={(e) => edit({ [of]: e.target.value })}
      />
    </label>
  );
  const number = (of: "days" | "refills", word: string) => (
    <label className="flex flex-col">
      <span className="text-small text-faded">{word}</span>
      <input
        type="number"
        min={0}
        max={of === "days" ? 366 : 12}
        aria-label={word}
        className="field mt-0 w-[72px] py-0.5"
        value={of === "days" && !d.days ? "" : (d[of] ?? 0)}
        onChange={(e) => edit({ [of]: Number(e.target.value) || 0 })}
      />
    </label>
  );
  return (
    <fieldset className="mt-2 flex flex-wrap gap-x-3 gap-y-1.5 border-t border-rule pt-2">
      <legend className="sr-only">Parts of the prescription</legend>
      {field("medicine", "Medicine", "w-[190px]")}
      {field("strength", "Strength", "w-[110px]", "strengths")}
      {field("form", "Form", "w-[150px]", "forms")}
      {field("dose", "How it is taken", "w-[470px]")}
      {field("quantity", "Quantity", "w-[80px]")}
      {field("unit", "Of", "w-[84px]")}
      {number("days", "Days")}
      {number("refills", "Refills")}
      {field("indication", "For", "w-[190px]")}
      {field("note", "To the pharmacy", "w-[260px]")}
      <label className="flex items-end gap-1.5 pb-1 text-small">
        <input type="checkbox" checked={d.asWritten ?? false} onChange={(e) => edit({ asWritten: e.target.checked })} /> no
        substitution
      </label>
      <datalist id="strengths">
        {[...new Set(r.forms.map((f) => f.strength))].map((s) => (
          <option key={s} value={s} />
        ))}
      </datalist>
      <datalist id="forms">
        {[...new Set(r.forms.map((f) => f.form))].map((s) => (
          <option key={s} value={s} />
        ))}
      </datalist>
    </fieldset>
  );
}
