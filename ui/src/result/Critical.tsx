import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { clock, day } from "../frame/time";
import { Form } from "../kit/Form";
import { Wrong } from "../kit/Wrong";
import { useMe, useRight } from "../session/me";

/** CriticalBar stands above every screen while a critical value is announced to the person, until somebody has taken it up. */
export function CriticalBar() {
  const go = useNavigate();
  const client = useQueryClient();
  const me = useMe();
  const sees = useRight("see results");
  const takes = useRight("take a critical value up");
  const critical = useQuery({ ...asks.critical(), enabled: sees });
  const [error, setError] = useState("");
  const all = critical.data ?? [];
  const first = all[0];
  async function take() {
    if (!first) return;
    setError("");
    try {
      await got(api.POST("/api/critical/{id}/up", { params: { path: { id: first.id } } }));
      go(first.report ? `/desk/report/${first.report}` : `/desk/called/${first.called}`);
    } catch (e) {
      setError(say(e));
    }
    await client.invalidateQueries({ queryKey: ["critical"] });
  }
  useKeys(first && takes ? [{ key: "Alt+.", label: "Take the critical value up", run: () => void take() }] : []);
  if (!first) return null;
  return (
    <section
      aria-label="Critical value"
      role="alert"
      className="flex shrink-0 flex-wrap items-baseline gap-x-4 gap-y-1 bg-alarm px-4 py-1.5 text-leaf"
    >
      <b>
        <span aria-hidden="true">■ </span>Critical: {first.patient.given} {first.patient.family}, {first.says}
      </b>
      <span className="text-aside">
        since {clock(first.at)}
        {first.called && `, ${first.title}`}
        {first.corrected && ", corrected since"}
        {first.step !== "who answers for it" && `, not taken up: now with ${first.step}`}
        {first.owner && first.owner !== me.name && ` · ${first.owner} answers for it`}
        {first.onCall.length > 0 &&
          (first.paged ? ` · pager: ${first.paged}` : ` · ${first.onCall.map((c) => `${c.name} ${c.telephone}`).join(", ")}`)}
        {all.length > 1 && ` · ${all.length - 1} more`}
      </span>
      {takes && (
        <button type="button" className="ml-auto border border-leaf px-2 font-semibold" onClick={() => void take()}>
          Take it up <KeyCap k="Alt+." />
        </button>
      )}
      {error && <span className="text-aside font-semibold">{error}</span>}
    </section>
  );
}

/** Contacts is who was told of a critical value, of a report or one told by telephone, and the form that keeps it. */
export function Contacts({
  of: r,
  send,
}: {
  of: Pick<Schemas["ReportView"], "patient" | "contacts" | "told">;
  send: (body: Schemas["CriticalContact"]) => Promise<unknown>;
}) {
  const client = useQueryClient();
  const { today } = useMe();
  const [who, setWho] = useState(`${r.patient.given} ${r.patient.family}`);
  const [how, setHow] = useState<"telephone" | "in person" | "other">("telephone");
  const [back, setBack] = useState(false);
  const [remark, setRemark] = useState("");
  const [error, setError] = useState("");
  async function keep(reached: boolean) {
    setError("");
    try {
      await send({ reached, who, how, readBack: reached && back, remark });
      setRemark("");
      await Promise.all([
        client.invalidateQueries({ queryKey: ["report"] }),
        client.invalidateQueries({ queryKey: ["desk", "called"] }),
        client.invalidateQueries({ queryKey: ["critical"] }),
      ]);
    } catch (e) {
      setError(say(e));
    }
  }
  useKeys(
    r.told
      ? []
      : [
          { key: "Alt+z", label: "Told and read back", run: () => setBack(!back) },
          { key: "Alt+s", label: "Who was told is kept", run: () => void keep(true) },
          { key: "Alt+a", label: "No answer: an attempt", run: () => void keep(false) },
        ],
  );
  return (
    <section aria-label="Who was told of the critical value" className="margin-note mb-4 border-alarm">
      <h2 className="label">Critical: who was told</h2>
      <ul className="small">
        {r.contacts.map((c) => (
          <li key={c.at + c.says}>
            {c.at.slice(0, 10) !== today && `${day(c.at)}, `}
            {clock(c.at)}: {c.says}
            {c.by && ` · ${c.by}`}
          </li>
        ))}
      </ul>
      {!r.told && (
        <Form act={() => keep(true)}>
          <p className="small">It is signed once somebody was told. Telephone {r.patient.phone || "not recorded"}</p>
          <label className="label mt-1 block">
            Who
            <input className="field text-ink" value={who} onChange={(e) => setWho(e.target.value)} />
          </label>
          <select
            aria-label="How"
            className="field mt-1 text-ink"
            value={how}
            onChange={(e) => setHow(e.target.value as typeof how)}
          >
            <option value="telephone">by telephone</option>
            <option value="in person">in person</option>
            <option value="other">otherwise</option>
          </select>
          <label className="mt-1 flex items-center gap-2">
            <input type="checkbox" className="size-4 accent-kelp" checked={back} onChange={(e) => setBack(e.target.checked)} />
            <span className="flex-1">what was said was read back</span> <KeyCap k="Alt+Z" />
          </label>
          <label className="label mt-1 block">
            Remark
            <input className="field text-ink" value={remark} onChange={(e) => setRemark(e.target.value)} />
          </label>
          <Wrong says={error} className="text-aside" />
          <p className="mt-1 flex flex-wrap gap-3">
            <button type="submit" className="plain px-0">
              Told <KeyCap k="Alt+S" />
            </button>
            <button type="button" className="plain px-0" onClick={() => void keep(false)}>
              No answer <KeyCap k="Alt+A" />
            </button>
          </p>
        </Form>
      )}
    </section>
  );
}
