import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Fragment, useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { useAct } from "../exchange/act";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, onEscape, useKeys } from "../frame/keys";
import { clock, day } from "../frame/time";
import { Care } from "../kit/Care";
import { Why } from "../kit/Form";
import { Whose } from "../kit/Whose";
import { Wrong } from "../kit/Wrong";
import { useRight } from "../session/me";
import { useSigning } from "../sign/useSigning";
import { alike, Changes, changeable, type Decision, type Entry, measured, Row, Together } from "./Entries";
import { Others, Whole, Words } from "./Read";

type View = Schemas["RecordView"];

const lists: [string, string][] = [
  ["problems", "Problems"],
  ["allergies", "Allergies"],
  ["medicines", "Medicines"],
  ["immunizations", "Immunizations"],
  ["procedures", "Procedures"],
  ["results", "Results"],
  ["vitals", "Vital signs"],
];
const followed = (list: string) => list === "results" || list === "vitals" || list === "procedures";
const keys: [Decision, string][] = [
  ["take in", "1"],
  ["join", "3"],
  ["leave out", "4"],
];
const said = (at: string) => (at.length >= 10 ? day(at) : at);

/** RecordPage is a record of another house, its entries beside the chart with the decision in the seam, until each is decided and somebody
 * has signed it as read. */
export function RecordPage({ id, next }: { id: string; next: string }) {
  const record = useQuery(asks.record(id));
  if (record.error) return <p className="p-8">{say(record.error)}</p>;
  if (!record.data) return <main id="page" className="flex-1 bg-leaf" />;
  return <Open key={id} v={record.data} next={next} />;
}

function Open({ v, next }: { v: View; next: string }) {
  const go = useNavigate();
  const client = useQueryClient();
  const maySign = useRight("sign a result");
  const [at, setAt] = useState("");
  const [whole, setWhole] = useState(false);
  const [asking, setAsking] = useState<"" | "leave out" | "changes" | "taken back" | "doubted" | "refused" | "hand on">("");
  const [leaving, setLeaving] = useState("");
  const [comment, setComment] = useState("");
  const { act: inTurn, error, setError } = useAct(`record ${v.id}`);
  const { sign, dialog, busy } = useSigning();
  const params = { params: { path: { id: v.id } } };
  const { queryKey } = asks.record(v.id);
  // A record may hold hundreds of values: those that are certain, or decided, stand in one line.
  const settled = (e: Entry) =>
    (e.stand === "the same" && (e.certain || e.decision === "join")) || (measured(e) && (e.certain || e.decision !== ""));
  const shown = v.entries.filter((e) => !settled(e));
  const open = shown.filter((e) => e.decision === "");
  const key = (e: Entry) => `${e.list} ${e.ref}`;
  const current = shown.find((e) => key(e) === at) ?? open[0] ?? shown[0];
  const list = useRef<HTMLDivElement>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the row that is current is brought into view
  useEffect(() => {
    list.current?.querySelector('[aria-current="true"]')?.scrollIntoView({ block: "nearest" });
  }, [current && key(current)]);
  // One after another: an answer that comes late would show the entries as they were before.
  async function act(call: () => Promise<View | undefined>) {
    const done = await inTurn(async () => {
      const now = await call();
      if (now) client.setQueryData(queryKey, now);
      else await client.invalidateQueries({ queryKey });
      return true;
    });
    if (!done) return;
    setAsking("");
    void client.invalidateQueries({ queryKey: ["desk"] });
  }
  const decide = (e: Entry, decision: Decision | "taken back", more: { reason?: string; title?: string; detail?: string } = {}) =>
    act(async () => {
      const now = await got(
        api.POST("/api/records/{id}/decisions", { ...params, body: { list: e.list, ref: e.ref, decision, ...more } }),
      );
      const rest = now.entries.filter((x) => x.decision === "" && !settled(x));
      const from = shown.findIndex((x) => key(x) === key(e));
      const following = shown.slice(from + 1).find((x) => rest.some((y) => key(y) === key(x)));
      setAt(following ? key(following) : rest[0] ? key(rest[0]) : "");
      return now;
    });
  const choose = (d: Decision) => {
    if (current?.decision !== "" || !current.may.includes(d)) return;
    if (d === "leave out" && current.stand !== "older than ours" && !current.none) setAsking("leave out");
    else void decide(current, d);
  };
  const confirm = (says: "confirmed" | "doubted" | "refused", words = "") =>
    act(async () => {
      await got(api.POST("/api/records/{id}/source", { ...params, body: { says, words } }));
      return undefined;
    });
  const leaveRest = (of: string, reason: string) =>
    act(() => got(api.POST("/api/records/{id}/rest", { ...params, body: { list: of, reason } })));
  const certain = () => act(() => got(api.POST("/api/records/{id}/certain", params)));
  const signIt = () =>
    sign({
      title: "Sign the record as read",
      lines: [`${v.patient.given} ${v.patient.family}`, `${v.title}, ${v.house}`],
      act: (secret) => got(api.POST("/api/records/{id}/sign", { ...params, body: { comment, secret: secret ?? "" } })),
      done: () => {
        void client.invalidateQueries({ queryKey: ["desk"] });
        void client.invalidateQueries({ queryKey });
        go(next);
      },
      failed: (e) => setError(say(e)),
    });
  const step = (by: number) => {
    const i = shown.findIndex((e) => current && key(e) === key(current));
    const to = shown[Math.min(shown.length - 1, Math.max(0, i + by))];
    if (to) setAt(key(to));
  };
  const asksSource = v.source.says === "" && !v.unreadable;
  useKeys(
    v.signedBy
      ? [{ key: "g", label: "Read the whole", run: () => setWhole(!whole) }]
      : [
          ...(asksSource ? [{ key: "y", label: "The patient was there", run: () => void confirm("confirmed") }] : []),
          ...(v.certain > 0 ? [{ key: "c", label: "Settle what is certain", run: () => void certain() }] : []),
          ...keys.map(([d, k]) => ({ key: k, label: d, run: () => choose(d) })),
          {
            key: "2",
            label: "Take in with changes",
            run: () => changeable(current) && setAsking("changes"),
          },
          { key: "ArrowDown", label: "Next entry", run: () => step(1) },
          { key: "ArrowUp", label: "Entry before", run: () => step(-1) },
          { key: "g", label: "Read the whole", run: () => setWhole(!whole) },
          { key: "h", label: "Hand it on", run: () => setAsking("hand on") },
          ...(maySign ? [{ key: "Ctrl+Enter", label: "Sign it as read, and the next", run: () => void signIt() }] : []),
        ],
  );
  return (
    <>
      <main id="page" className="flex min-h-0 min-w-0 flex-1 flex-col bg-leaf max-wide:flex-none max-wide:overflow-visible">
        <div className="shrink-0 border-b border-rule px-6 pt-4 pb-2">
          <div className="flex items-baseline gap-x-4">
            <div className="min-w-0 flex-1">
              <Whose patient={v.patient} />
            </div>
            {!v.unreadable && (
              <button type="button" className="plain shrink-0 px-0" onClick={() => setWhole(!whole)}>
                {whole ? "Entries" : "Whole"} <KeyCap k="g" />
              </button>
            )}
          </div>
          <h2 className="text-title">
            {v.house}{" "}
            <span className="small font-sans font-normal">
              {v.title}
              {v.version && `, version ${v.version}`}
              {v.from && ` · ${said(v.from)}${v.to && said(v.to) !== said(v.from) ? ` to ${said(v.to)}` : ""}`}
              {v.writtenAt && said(v.writtenAt) !== said(v.to || v.from) && ` · written ${said(v.writtenAt)}`} · received{" "}
              {day(v.receivedAt)}
            </span>
          </h2>
        </div>
        <div ref={list} className="min-h-0 flex-1 overflow-auto px-6 py-3">
          {v.handed[0] && (
            <p className="margin-note my-2">
              {v.handed[0].by} handed it on to {v.handed[0].to}, {day(v.handed[0].at)}: “{v.handed[0].words}”
            </p>
          )}
          {v.news && <p className="text-aside font-semibold">{v.news}</p>}
          {v.why && (
            <p className="margin-note my-2">
              It names {v.named}. {v.why}
            </p>
          )}
          {v.unreadable ? (
            <>
              <p className="margin-note my-3 border-alarm">
                <b>It cannot be read:</b> {v.unreadable}. It stays here as it came until somebody says what was done about it.
              </p>
              <pre className="overflow-auto bg-paper p-3 font-mono text-code">{v.raw}</pre>
            </>
          ) : (
            <>
              {asksSource && (
                <div role="status" className="margin-note my-3 border-carried">
                  <b>
                    Ask {v.patient.given}: were you at {v.house}
                    {v.from && `, ${said(v.from)}`}?
                  </b>{" "}
                  Nothing of it counts before.
                  {asking === "doubted" || asking === "refused" ? (
                    <Why
                      label="What the patient said"
                      says="What the patient said"
                      word="Keep it"
                      act={(words) => confirm(asking, words)}
                      leave={() => setAsking("")}
                    />
                  ) : (
                    <p className="mt-1 flex flex-wrap gap-3">
                      <button type="button" className="act" onClick={() => void confirm("confirmed")}>
                        Yes <KeyCap k="y" />
                      </button>
                      <button type="button" className="plain" onClick={() => setAsking("doubted")}>
                        not sure…
                      </button>
                      <button type="button" className="plain" onClick={() => setAsking("refused")}>
                        no, not there…
                      </button>
                    </p>
                  )}
                </div>
              )}
              {v.source.says && (
                <p className={`small ${v.source.says === "confirmed" ? "" : "font-semibold text-carried"}`}>
                  {v.patient.given} was there: {v.source.says}, {v.source.by}, {v.source.at && day(v.source.at)}
                  {v.source.words && `: “${v.source.words}”`}
                </p>
              )}
              {v.certain > 0 && (
                <p className="my-3 flex items-baseline gap-3">
                  <button type="button" className="act" onClick={() => void certain()}>
                    Settle {v.certain} certain <KeyCap k="c" />
                  </button>
                  <span className="text-aside">
                    {[
                      [v.entries.filter((e) => e.certain && e.stand === "the same" && !e.decision).length, "the same"],
                      [v.entries.filter((e) => e.certain && e.stand === "new" && !e.decision).length, "new and undisputed"],
                    ]
                      .filter(([n]) => n !== 0)
                      .map(([n, word]) => `${n} ${word}`)
                      .join(", ")}
                    .
                  </span>
                </p>
              )}
              {v.missed.map((m) => (
                <p key={m} className="text-aside text-carried">
                  {m}
                </p>
              ))}
              {whole ? (
                <Whole
                  v={v}
                  said={current?.said ?? ""}
                  point={(words) => {
                    const e = shown.find((x) => x.said === words);
                    if (e) setAt(key(e));
                  }}
                />
              ) : (
                <table className="mt-3 w-full table-fixed border-collapse text-left">
                  <thead>
                    <tr className="label border-b border-rule">
                      <th className="py-1.5 pl-2 font-semibold">Our chart</th>
                      <th className="w-[168px] bg-paper px-3 text-center font-semibold">Decision</th>
                      <th className="pl-4 font-semibold">Their record</th>
                    </tr>
                  </thead>
                  <tbody>
                    {lists.map(([id, word]) => {
                      const of = shown.filter((e) => e.list === id);
                      const same = v.entries.filter((e) => e.list === id && settled(e));
                      if (of.length + same.length === 0) return null;
                      return (
                        <Fragment key={id}>
                          <tr>
                            <th colSpan={3} className="pt-4 pb-1 text-title-s font-semibold">
                              {word}
                              {!v.signedBy &&
                                followed(id) &&
                                v.entries.filter((e) => e.list === id && !e.decision).length > 1 && (
                                  <span className="ml-4 font-normal">
                                    {leaving === id ? (
                                      <Why
                                        label={`Why the ${word.toLowerCase()} are only read`}
                                        says="Why they are only read with the record"
                                        word="Leave them"
                                        act={(reason) => leaveRest(id, reason).then(() => setLeaving(""))}
                                        leave={() => setLeaving("")}
                                      />
                                    ) : (
                                      <button type="button" className="plain px-0 py-0 text-small" onClick={() => setLeaving(id)}>
                                        Only read them…
                                      </button>
                                    )}
                                  </span>
                                )}
                            </th>
                          </tr>
                          {of.map((e) => (
                            <Row
                              key={key(e)}
                              e={e}
                              on={!!current && key(e) === key(current)}
                              signed={v.signedBy !== ""}
                              point={() => setAt(key(e))}
                              choose={choose}
                              change={() => setAsking("changes")}
                            />
                          ))}
                          {alike(same).map(([how, some]) => (
                            <Together key={how} how={how} some={some} />
                          ))}
                        </Fragment>
                      );
                    })}
                  </tbody>
                </table>
              )}
              {!whole && (
                <Others
                  v={v}
                  take={(e) => void decide(e, "take in")}
                  back={(e, reason) => void decide(e, "taken back", { reason })}
                />
              )}
            </>
          )}
        </div>
        <footer className="flex shrink-0 flex-wrap items-center gap-x-3 gap-y-2 border-t border-rule bg-paper px-6 py-2">
          {v.signedBy ? (
            <span>
              Signed as read by {v.signedBy}, {day(v.signedAt)}, {clock(v.signedAt)}
              {v.comment && `: ${v.comment}`}
            </span>
          ) : (
            <>
              {maySign && (
                <>
                  <input
                    aria-label="Comment for the chart"
                    placeholder="Comment"
                    className="field min-w-[90px] flex-1 text-ink"
                    value={comment}
                    onChange={(e) => setComment(e.target.value)}
                  />
                  <button type="button" className="act" disabled={busy} onClick={() => void signIt()}>
                    Sign as read <KeyCap k="Ctrl+Enter" />
                  </button>
                </>
              )}
              <span className="small">
                {v.open > 0 ? `${v.open} of ${v.entries.length} still open` : "Every entry is decided."}
              </span>
            </>
          )}
          {!v.signedBy && (
            <button type="button" className="plain" onClick={() => setAsking("hand on")}>
              Hand on… <KeyCap k="h" />
            </button>
          )}
          <Wrong says={error} as="span" className="text-aside font-semibold" />
        </footer>
      </main>
      {asking === "hand on" && (
        <aside
          aria-label="Hand it on"
          className="w-[300px] shrink-0 overflow-auto border-l border-rule px-4 py-4 text-aside max-wide:w-full"
        >
          <HandOn
            to={v.handTo}
            give={(to, words) =>
              act(async () => {
                await got(api.POST("/api/records/{id}/handed", { ...params, body: { to, words } }));
                return undefined;
              })
            }
            leave={() => setAsking("")}
          />
          <Wrong says={error} />
        </aside>
      )}
      {current && !v.unreadable && asking !== "hand on" && (
        <aside
          aria-label="Why this asks"
          className="w-[300px] shrink-0 overflow-auto border-l border-rule px-4 py-4 text-aside max-wide:w-full"
        >
          <h3 className="label">Why this asks</h3>
          <p className="font-semibold">{current.title}</p>
          <p className="mt-1">
            {current.why.slice(0, 1).toUpperCase() + current.why.slice(1)}
            {current.differs.length > 0 && ` (${current.differs.join("; ")})`}.
          </p>
          {current.ends && !current.decision && current.may.includes("take in") && (
            <p className="mt-1">
              Taken in, it takes the place of ours, which ends.
              {current.list === "allergies" && " What it does not say of reaction and severity stays."}
            </p>
          )}
          {current.also.length > 0 && !current.decision && (
            <p className="mt-1">
              {current.also.map((o) => o.house).join(" and ")} say{current.also.length === 1 ? "s" : ""} the same: one decision is
              about both.
            </p>
          )}
          {current.decision && (
            <div className="margin-note mt-2">
              <b>{current.decision}</b>, {current.decided}
              {current.earlier && ", on an earlier version"}
              {!v.signedBy &&
                (asking === "taken back" ? (
                  <Why
                    label="Why it is taken back"
                    says="Why it is taken back"
                    word="Take it back"
                    act={(reason) => decide(current, "taken back", { reason })}
                    leave={() => setAsking("")}
                  />
                ) : (
                  <button type="button" className="plain block px-0 py-0" onClick={() => setAsking("taken back")}>
                    Take it back…
                  </button>
                ))}
            </div>
          )}
          {asking === "leave out" && (
            <div className="margin-note mt-2">
              <Why
                label="Why it is left out"
                says="Why it is left out"
                word="Leave out"
                act={(reason) => decide(current, "leave out", { reason })}
                leave={() => setAsking("")}
              />
            </div>
          )}
          {asking === "changes" && (
            <Changes e={current} take={(more) => decide(current, "take in", more)} leave={() => setAsking("")} />
          )}
          {current.warnings.length > 0 && (
            <div className="mt-2">
              <Care warnings={current.warnings} />
            </div>
          )}
          <Words v={v} said={current.said} />
          <h3 className="label mt-4">Origin</h3>
          <p>
            {v.title}
            {v.version && `, version ${v.version}`}
            {current.author && `, by ${current.author}`}, {v.house}
            {v.writtenAt && `, ${said(v.writtenAt)}`}
          </p>
          <p className="small">{[current.codes.map((c) => c.code).join(", "), current.status].filter(Boolean).join(" · ")}</p>
        </aside>
      )}
      {dialog}
    </>
  );
}

// HandOn gives the record to a colleague, who answers for it from then on.
function HandOn({ to, give, leave }: { to: View["handTo"]; give: (to: string, words: string) => void; leave: () => void }) {
  const [words, setWords] = useState("");
  return (
    <section aria-label="To whom" onKeyDown={onEscape(leave)}>
      <h3 className="text-title-s font-semibold">Hand it on</h3>
      <p className="my-1">Whoever gets it answers for it; it stays open until it is signed.</p>
      <label className="label block">
        What is to be done
        <input autoFocus className="field text-ink" value={words} onChange={(e) => setWords(e.target.value)} />
      </label>
      <div className="mt-2 flex flex-wrap gap-2">
        {to.map((p) => (
          <button
            key={p.id}
            type="button"
            className="choice px-2 py-1"
            disabled={words.trim() === ""}
            onClick={() => give(p.id, words)}
          >
            {p.name}
          </button>
        ))}
        <button type="button" className="plain" onClick={leave}>
          Keep it
        </button>
      </div>
    </section>
  );
}
