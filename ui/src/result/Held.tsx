import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useLocation, useNavigate } from "react-router";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { clock, day } from "../frame/time";
import { Form } from "../kit/Form";
import { numbered } from "../kit/numbered";
import { Table } from "../kit/Table";
import { unit } from "../kit/unit";
import { Wrong } from "../kit/Wrong";
import { useRight } from "../session/me";
import { Value } from "./Flags";

type Candidate = Schemas["CandidateView"];

// What nearly agrees is a reason that needs no typing ("given name (its initial only)"), where nothing else differs.
function nearlySaid(c: Candidate) {
  const nearly = c.needs?.map((n) => c.agree?.find((a) => a.startsWith(`${n} (`)));
  return !c.differ?.length && nearly?.length && nearly.every(Boolean) ? nearly.join(", ") : "";
}

// Somebody fits as well where all that speaks for one speaks for them too.
const fitsAsWell = (c: Candidate, than: Candidate) =>
  (than.agree ?? []).every((a) => c.agree?.includes(a)) && (c.differ?.length ?? 0) <= (than.differ?.length ?? 0);

/** HeldPage is a report that waits because nobody can be sure whose it is. */
export function HeldPage({ id, next }: { id: string; next: string }) {
  const go = useNavigate();
  const client = useQueryClient();
  const held = useQuery(asks.held(id));
  const registered = (useLocation().state as { chosen?: string } | null)?.chosen ?? "";
  const [picked, setChosen] = useState<Schemas["PatientView"] | null>(null);
  const [query, setQuery] = useState("");
  const [reason, setReason] = useState("");
  const [typed, setWhy] = useState<string>();
  const [asked, setAsked] = useState("");
  const [until, setUntil] = useState("");
  const [byFax, setByFax] = useState(false);
  const mayRegister = useRight("register a patient");
  const [error, setError] = useState("");
  const found = useQuery({
    ...asks.find(query),
    enabled: query.trim().length > 1,
  });
  async function done(act: Promise<unknown>) {
    try {
      await act;
      await client.invalidateQueries({ queryKey: ["desk"] });
      go(next);
    } catch (e) {
      setError(say(e));
    }
  }
  const chosen = picked ?? held.data?.candidates.find((c) => c.patient.id === registered)?.patient ?? null;
  const m = held.data;
  const waits = m?.state === "quarantined";
  const candidates = waits ? (m?.candidates ?? []) : [];
  const candidate = candidates.find((c) => c.patient.id === chosen?.id);
  const differs = candidate?.needs ?? [];
  const asWell = candidate && candidates.filter((c) => c !== candidate && fitsAsWell(c, candidate));
  const why = typed ?? (candidate && asWell?.length === 0 ? nearlySaid(candidate) : "");
  function choose(p: Schemas["PatientView"]) {
    setChosen(p);
    setWhy(undefined); // a reason is of one person
  }
  const attach = () =>
    chosen &&
    void done(
      got(api.POST("/api/quarantine/{number}/attach", { params: { path: { number: id } }, body: { patient: chosen.id, why } })),
    );
  const others = m?.others ?? [];
  useKeys([
    ...candidates.map((c, i) => ({
      key: String(i + 1),
      label: `Choose ${c.patient.given} ${c.patient.family}`,
      run: () => choose(c.patient),
    })),
    ...(chosen ? [{ key: "Ctrl+Enter", label: `Attach to ${chosen.given} ${chosen.family}`, run: attach }] : []),
  ]);
  if (held.error) return <p className="p-8">{say(held.error)}</p>;
  if (!m) return <main id="page" className="flex-1 bg-leaf" />;
  const person = (p: Schemas["PatientView"], key: string, more: string, k?: string) => (
    <li key={key} className="border-b border-rule py-2">
      <label className="flex items-baseline gap-3">
        <input
          type="radio"
          name="candidate"
          className="size-4 accent-kelp"
          checked={chosen?.id === p.id}
          onChange={() => choose(p)}
        />
        <span className="flex-1">
          <span className="font-semibold">
            {p.given} {p.family}
          </span>{" "}
          <span className="small">
            {p.age}, {p.sex}, b. {day(p.birthDate)} · {p.record} · {p.phone}
          </span>
          <span className="block text-aside">{more}</span>
        </span>
        {k && <KeyCap k={k} />}
      </label>
    </li>
  );
  return (
    <>
      <main
        id="page"
        className="min-h-0 min-w-0 flex-1 overflow-auto bg-leaf max-wide:flex-none max-wide:overflow-visible px-6 py-4"
      >
        <h1 className="text-page">No certain patient</h1>
        <p className="mt-1">{m.reason}</p>
        {m.readable ? (
          <>
            <p className="mt-3">
              <span className="label">The laboratory names</span>{" "}
              {m.family || m.given ? (
                <span className="font-semibold">
                  {m.family || "no family name"}, {m.given || "no given name"}
                </span>
              ) : (
                <span className="font-semibold">nobody</span>
              )}
              , b. {m.birthDate ? day(m.birthDate) : m.birthSaid ? `“${m.birthSaid}”, which is no date` : "unknown"},{" "}
              {m.sex || "sex not given"}
              {(m.records ?? []).length > 0 && (
                <>
                  {" "}
                  · <span className="font-mono">{m.records?.join(", ")}</span>
                </>
              )}
            </p>
            {m.notes && <p className="small whitespace-pre-wrap">{m.notes}</p>}
            {numbered(m.reports).map(({ it: r, place }) => (
              <section key={place}>
                <h2 className="mt-4 text-title">{r.title}</h2>
                <p className="small">
                  {r.status}
                  {r.collectedAt && `, collected ${day(r.collectedAt)} ${clock(r.collectedAt)}`}
                  {r.placer && ", order "}
                  <span className="font-mono">{r.placer}</span>
                </p>
                <Table className="mt-1 max-w-[640px] text-aside">
                  {numbered(r.values).map(({ it: v, place }) => (
                    <tr key={place} className="h-[30px] border-b border-rule align-baseline">
                      <th scope="row" className="py-1 text-left font-normal">
                        {v.name}
                        {v.status && <span className="block text-small text-carried">{v.status}</span>}
                        {v.notes && <span className="small block whitespace-pre-wrap">{v.notes}</span>}
                      </th>
                      <td className={`text-right whitespace-pre-wrap ${v.live ? "" : "text-faded line-through"}`}>
                        <Value side={v.side} text={v.text || "no value"} unit={unit(v.unit)} flag={v.flag} />
                      </td>
                      <td className="pl-4 text-right text-faded">{v.range}</td>
                    </tr>
                  ))}
                </Table>
                {r.notes && <p className="mt-1 font-serif whitespace-pre-wrap">{r.notes}</p>}
              </section>
            ))}
            {others.length > 0 && (
              <>
                <h2 className="mt-6 text-title">In the same message</h2>
                <ul>
                  {others.map((o) => (
                    <li key={o.id} className="border-b border-rule py-1.5">
                      <Link to={`/desk/held/${o.id}`} className="font-semibold hover:underline">
                        {[o.family, o.given].filter(Boolean).join(", ") || "nobody named"}
                      </Link>{" "}
                      <span className="small">{o.reports?.map((r) => r.title).join(", ")}</span>
                      {o.reports?.flatMap((r) =>
                        (r.values ?? [])
                          .filter((v) => v.side.startsWith("critical"))
                          .map((v) => (
                            <span key={v.code + v.name} className="ml-2">
                              {v.name} <Value side={v.side} text={v.text} unit={unit(v.unit)} flag={v.flag} />
                            </span>
                          )),
                      )}
                      <span className="small">
                        {" "}
                        · {o.state === "quarantined" ? "waits too" : o.state === "filed" ? "was filed" : "is decided"}
                      </span>
                    </li>
                  ))}
                </ul>
              </>
            )}
            {waits && (
              <>
                <h2 className="mt-6 text-title">Who may be meant</h2>
                {candidates.length === 0 && (
                  <p className="small">Nobody here is like it. Search below, or set it aside with a reason.</p>
                )}
                <ul>
                  {candidates.map((c, i) =>
                    person(
                      c.patient,
                      c.patient.id,
                      `${c.agree?.join(", ")} agree${c.agree?.length === 1 ? "s" : ""}${c.differ?.length ? `; ${c.differ.join(", ")} differ${c.differ.length === 1 ? "s" : ""}` : ""}`,
                      String(i + 1),
                    ),
                  )}
                </ul>
                <label className="label mt-4 block max-w-[420px]">
                  Somebody else: name, birth date, record number or phone
                  <input className="field text-ink" value={query} onChange={(e) => setQuery(e.target.value)} />
                </label>
                <ul>{(query.trim().length > 1 ? (found.data ?? []) : []).map((p) => person(p, `f${p.id}`, ""))}</ul>
              </>
            )}
          </>
        ) : (
          <p className="small mt-2">It stays here as it came until somebody has spoken with the sender.</p>
        )}
        <details className="mt-6">
          <summary className="plain cursor-pointer">The message as it came, {clock(m.receivedAt)}</summary>
          <pre className="mt-2 overflow-auto bg-paper p-3 font-mono text-code">{m.raw}</pre>
        </details>
      </main>
      <aside aria-label="Decision" className="w-[300px] shrink-0 overflow-auto border-l border-rule px-4 py-4 max-wide:w-full">
        {!waits && (
          <>
            <p className="mb-3">{m.state === "filed" ? "It was filed." : "A person has decided on it."}</p>
            {m.reason && (
              <button
                type="button"
                className="choice"
                onClick={() => void done(got(api.POST("/api/quarantine/{number}/up", { params: { path: { number: id } } })))}
              >
                Take it up again
              </button>
            )}
          </>
        )}
        {waits && m.readable && (
          <>
            <p className="mb-3">
              {chosen
                ? `It goes into the chart of ${chosen.given} ${chosen.family}, born ${day(chosen.birthDate)}, as said by you.`
                : "Choose whose it is."}
            </p>
            {asWell && asWell.length > 0 && (
              <p className="mb-3 font-semibold text-alarm">
                {asWell.map((c) => `${c.patient.given} ${c.patient.family}`).join(", ")} fit{asWell.length === 1 ? "s" : ""} as
                well.
              </p>
            )}
            {chosen && (differs.length > 0 || error !== "" || why !== "") && (
              <label className="label mb-3 block">
                {differs.length > 0
                  ? `Theirs, although the ${differs.join(", ")} differ${differs.length === 1 ? "s" : ""}, because`
                  : "Theirs all the same, because"}
                <input autoFocus className="field text-ink" value={why} onChange={(e) => setWhy(e.target.value)} />
              </label>
            )}
            <button type="button" className="act" disabled={!chosen} onClick={attach}>
              Attach <KeyCap k="Ctrl+Enter" />
            </button>
          </>
        )}
        {waits && (
          <Form
            className="mt-6"
            act={() =>
              done(got(api.POST("/api/quarantine/{number}/aside", { params: { path: { number: id } }, body: { reason } })))
            }
          >
            <label className="label block">
              Belongs to nobody here, because
              <input className="field text-ink" value={reason} onChange={(e) => setReason(e.target.value)} />
            </label>
            <button type="submit" className="choice mt-3">
              Set aside
            </button>
          </Form>
        )}
        {waits && (
          <Form
            className="mt-6"
            act={() =>
              done(
                got(
                  api.POST("/api/quarantine/{number}/back", {
                    params: { path: { number: id } },
                    body: { reason: asked, until: until || m.until, fax: byFax },
                  }),
                ).then(() => client.invalidateQueries({ queryKey: ["held", id] })),
              )
            }
          >
            <label className="label block">
              Or ask the laboratory{m.laboratory && `, ${m.laboratory}`}: what, and whom
              <input className="field text-ink" value={asked} onChange={(e) => setAsked(e.target.value)} />
            </label>
            <label className="label mt-2 block">
              Comes back here on
              <input type="date" className="field text-ink" value={until || m.until} onChange={(e) => setUntil(e.target.value)} />
            </label>
            {m.fax && (
              <label className="mt-2 flex items-baseline gap-2">
                <input
                  type="checkbox"
                  className="size-4 accent-kelp"
                  checked={byFax}
                  onChange={(e) => setByFax(e.target.checked)}
                />
                by fax, {m.fax}
              </label>
            )}
            <button type="submit" className="choice mt-3">
              Give it back
            </button>
          </Form>
        )}
        {waits && m.readable && mayRegister && (
          <p className="mt-6">
            <Link
              className="plain px-0"
              to="/patients/new"
              state={{ held: id, named: { family: m.family, given: m.given, birthDate: m.birthDate, sex: m.sex } }}
            >
              Register whom it names as somebody new
            </Link>
          </p>
        )}
        <Wrong says={error} className="mt-3 text-aside" />
      </aside>
    </>
  );
}
