import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { day } from "../frame/time";
import { Choice } from "../kit/Choice";
import { moment } from "../kit/Course";
import { Form, Why } from "../kit/Form";
import { Whose } from "../kit/Whose";
import { Wrong } from "../kit/Wrong";
import { useRight } from "../session/session";
import { GiveOut } from "./GiveOut";

type Page = Schemas["SharingPage"];
type Direction = "in" | "out";
type Says = "confirmed" | "doubted" | "refused";
type Act = (call: () => Promise<Page | undefined>) => Promise<boolean>;

const upper = (s: string) => s.slice(0, 1).toUpperCase() + s.slice(1);

/** Sharing is what a patient agrees to share with other houses, whom they are at the exchange, where they were seen, and what was given
 * out. */
export function Sharing() {
  const id = useParams().id ?? "";
  const page = useQuery(asks.sharing(id));
  if (page.error) return <p className="p-8">{say(page.error)}</p>;
  if (!page.data) return <main id="page" className="flex-1 bg-leaf" />;
  return <Open key={id} id={id} v={page.data} />;
}

function Open({ id, v }: { id: string; v: Page }) {
  const client = useQueryClient();
  const go = useNavigate();
  const mayGive = useRight("give a chart out");
  const [saying, setSaying] = useState<Direction | "">("");
  const [giving, setGiving] = useState(false);
  const [busy, setBusy] = useState(false);
  const [error, setError] = useState("");
  const params = { params: { path: { id } } };
  const { queryKey } = asks.sharing(id);
  const act: Act = async (call) => {
    setError("");
    setBusy(true);
    try {
      const now = await call();
      if (now) client.setQueryData(queryKey, now);
      else await client.invalidateQueries({ queryKey });
      void client.invalidateQueries({ queryKey: ["desk"] });
      void client.invalidateQueries({ queryKey: ["records", id] });
      return true;
    } catch (e) {
      setError(say(e));
      return false;
    } finally {
      setBusy(false);
    }
  };
  const ask = () => act(() => got(api.POST("/api/patients/{id}/sharing/link", params)));
  const fetchThem = () => act(() => got(api.POST("/api/patients/{id}/sharing/documents", params)));
  const asked = v.sources.find((s) => !s.says);
  const wasThere = (record: string, word: Says, words = "") =>
    act(async () => {
      await got(api.POST("/api/records/{id}/source", { params: { path: { id: record } }, body: { says: word, words } }));
      return undefined;
    });
  const agreed = v.in?.given || v.out?.given;
  const mayAsk = !!v.exchange && agreed && v.link.state !== "linked";
  const mayFetch = !!v.exchange && !!v.in?.given && v.link.state === "linked";
  useKeys([
    { key: "i", label: "Say whether records come in", run: () => setSaying("in") },
    { key: "o", label: "Say whether the chart goes out", run: () => setSaying("out") },
    { key: "r", label: "Registration", run: () => go(`/patients/${id}/registration`) },
    ...(asked ? [{ key: "y", label: `Was at ${asked.house}`, run: () => void wasThere(asked.ask, "confirmed") }] : []),
    ...(mayAsk ? [{ key: "l", label: "Ask the exchange who this is", run: () => void ask() }] : []),
    ...(mayFetch ? [{ key: "d", label: "Fetch documents", run: () => void fetchThem() }] : []),
    ...(mayGive
      ? [
          { key: "g", label: "Give a copy out", run: () => setGiving(true) },
          { key: "e", label: "Records from elsewhere", run: () => go(`/patients/${id}/records`) },
        ]
      : []),
  ]);
  return (
    <div className="flex min-h-0 flex-1 max-wide:flex-col max-wide:overflow-auto">
      <main
        id="page"
        className="min-h-0 min-w-0 flex-1 overflow-auto bg-leaf px-10 py-5 max-wide:flex-none max-wide:overflow-visible max-phone:px-4"
      >
        <Whose patient={v.patient} />
        <div className="mb-2 flex max-w-[900px] flex-wrap items-baseline gap-x-4">
          <h2 className="flex-1 text-title">Shared with other houses</h2>
          <Link className="plain px-0" to={`/patients/${id}/registration`}>
            Registration <KeyCap k="r" />
          </Link>
        </div>
        <Wrong says={error} />
        <div className="grid max-w-[900px] grid-cols-2 gap-x-10 max-phone:grid-cols-1">
          {(["in", "out"] as const).map((d) => (
            <Agreement key={d} v={v} direction={d} saying={saying === d} say={setSaying} act={act} ask={() => void ask()} />
          ))}
        </div>
        <section className="mt-5 max-w-[900px]" aria-label="At the exchange">
          <h3 className="border-b border-rule pb-1 text-title-s font-semibold">At {v.exchange || "an exchange"}</h3>
          {!v.exchange ? (
            <p className="small mt-2">No exchange is connected; an administrator connects one.</p>
          ) : (
            <AtExchange
              v={v}
              act={act}
              busy={busy}
              ask={mayAsk ? () => void ask() : undefined}
              fetchThem={mayFetch ? () => void fetchThem() : undefined}
            />
          )}
          {v.problems.map((p) => (
            <p key={p} role="status" className="margin-note my-2 border-carried">
              {p}
            </p>
          ))}
          {v.untaken.map((u) => (
            <NotHers key={u.document} id={id} u={u} act={act} />
          ))}
        </section>
        <Sources v={v} first={asked?.house} says={wasThere} />
        <section className="mt-6 max-w-[900px]" aria-label="Given out">
          <h3 className="border-b border-rule pb-1 text-title-s font-semibold">Given out</h3>
          {v.given.length === 0 && <p className="small mt-2">No copy of this chart was given out.</p>}
          <ul>
            {v.given.map((g) => (
              <li key={g.id} className="border-b border-rule py-1.5 text-aside">
                <b>
                  {g.whom === "patient" ? "The patient" : g.whom === "exchange" ? upper(v.exchange || "the exchange") : g.name}
                </b>
                : {g.says}{" "}
                <span className="text-faded">
                  as {g.form}, {moment(g.at)}, by {g.by}
                  {g.why && `, for ${g.why}`}
                </span>
                {g.state && g.state !== "accepted" && (
                  <span className={g.state === "refused" ? "font-semibold text-alarm" : "font-semibold text-carried"}>
                    {" "}
                    {g.state === "waiting" ? "on its way" : g.state === "refused" ? `not taken: ${g.error}` : "taken back"}
                  </span>
                )}
              </li>
            ))}
          </ul>
        </section>
      </main>
      {mayGive && (
        <aside
          aria-label="Give a copy out"
          className="w-[332px] shrink-0 overflow-auto border-l border-rule px-4 py-5 text-aside max-wide:w-full"
        >
          {giving ? (
            <GiveOut id={id} v={v} leave={() => setGiving(false)} />
          ) : (
            <>
              <h3 className="text-title-s font-semibold">A copy of the chart</h3>
              <p className="my-2">
                To the patient always; to somebody else or the exchange only while the patient agrees. Every copy is listed here.
              </p>
              <button type="button" className="act" onClick={() => setGiving(true)}>
                Give a copy out <KeyCap k="g" />
              </button>
              <p className="mt-4">
                <Link className="plain px-0" to={`/patients/${id}/records`}>
                  Records from elsewhere <KeyCap k="e" />
                </Link>
              </p>
            </>
          )}
        </aside>
      )}
    </div>
  );
}

const ways = ["signed on paper", "signed in the portal", "spoken"];

// Agreement is what the patient said of one direction, and the form in which they say it anew.
function Agreement({
  v,
  direction,
  saying,
  say: open,
  act,
  ask,
}: {
  v: Page;
  direction: Direction;
  saying: boolean;
  say: (d: Direction | "") => void;
  act: Act;
  ask: () => void;
}) {
  const c = direction === "in" ? v.in : v.out;
  const before = v.before.filter((b) => b.direction === direction).slice(1);
  const word = direction === "in" ? "Records of other houses come in" : "This chart goes out to other houses";
  return (
    <section aria-label={word}>
      <h3 className="border-b border-rule pb-1 text-title-s font-semibold">{word}</h3>
      <p className={`mt-2 font-semibold ${!c ? "text-carried" : c.given ? "text-settled" : "text-carried"}`}>
        {!c ? "Nobody has asked: nothing is shared" : c.given ? "Agreed" : "Not agreed: nothing goes this way"}
      </p>
      {c && (
        <p className="text-aside">
          {c.form}, {day(c.day)}
          {c.words && `: “${c.words}”`} <span className="text-faded">taken down by {c.by}</span>
        </p>
      )}
      {before.length > 0 && (
        <details className="small">
          <summary className="cursor-pointer">Before that</summary>
          {before.map((b) => (
            <p key={b.at}>
              {b.given ? "agreed" : "not agreed"}, {b.form}, {day(b.day)}, {b.by}
              {b.words && `: “${b.words}”`}
            </p>
          ))}
        </details>
      )}
      {saying ? (
        <Said v={v} direction={direction} given={!c?.given} act={act} ask={ask} leave={() => open("")} />
      ) : (
        <button type="button" className="plain mt-1 px-0" onClick={() => open(direction)}>
          {!c ? "Say what was agreed…" : c.given ? "Withdrawn…" : "Agreed again…"} <KeyCap k={direction === "in" ? "i" : "o"} />
        </button>
      )}
    </section>
  );
}

function Said({
  v,
  direction,
  given: first,
  act,
  ask,
  leave,
}: {
  v: Page;
  direction: Direction;
  given: boolean;
  act: Act;
  ask: () => void;
  leave: () => void;
}) {
  const [given, setGiven] = useState(first);
  const [form, setForm] = useState(ways[0] ?? "");
  const [on, setOn] = useState(v.today);
  const [words, setWords] = useState("");
  const keep = async () => {
    const done = await act(async () => {
      await got(
        api.POST("/api/patients/{id}/sharing/consents", {
          params: { path: { id: v.patient.id } },
          body: { direction, given, form, day: on, words },
        }),
      );
      return undefined;
    });
    if (!done) return;
    leave();
    if (given && v.exchange && !v.link.state) ask(); // nobody has to say what follows from it
  };
  return (
    <Form className="margin-note mt-2" act={keep} leave={leave}>
      <p className="flex flex-wrap gap-1.5">
        <Choice on={given} set={() => setGiven(true)}>
          agreed
        </Choice>
        <Choice on={!given} set={() => setGiven(false)}>
          not agreed
        </Choice>
      </p>
      <p className="mt-1.5 flex flex-wrap gap-1.5">
        {ways.map((w) => (
          <Choice key={w} on={form === w} set={() => setForm(w)}>
            {w}
          </Choice>
        ))}
      </p>
      <label className="label mt-1.5 block">
        Said on
        <input
          autoFocus
          type="date"
          max={v.today}
          className="field block w-44 text-ink"
          value={on}
          onChange={(e) => setOn(e.target.value)}
        />
      </label>
      <label className="label mt-1.5 block">
        In their words, or where the paper is
        <input className="field text-ink" value={words} onChange={(e) => setWords(e.target.value)} />
      </label>
      <button type="submit" className="act mt-2">
        Keep it <KeyCap k="Enter" />
      </button>
    </Form>
  );
}

function AtExchange({
  v,
  act,
  busy,
  ask,
  fetchThem,
}: {
  v: Page;
  act: Act;
  busy: boolean;
  ask?: () => void;
  fetchThem?: () => void;
}) {
  const [asking, setAsking] = useState("");
  const l = v.link;
  const id = v.patient.id;
  const params = { path: { id } };
  const states: Record<string, string> = {
    "": "Nobody has asked the exchange about this patient.",
    linked: "Linked.",
    question: "Not linked: a person says whether it is the same.",
    nobody: "Not linked.",
    failed: "Not linked.",
    unlinked: "No longer linked.",
  };
  return (
    <>
      <p className="mt-2">
        <b className={l.state === "linked" ? "text-settled" : l.state ? "text-carried" : ""}>{states[l.state]}</b> {l.says}{" "}
        {l.at && (
          <span className="text-faded">
            {moment(l.at)}, {l.by}
          </span>
        )}
      </p>
      {l.mends && <p className="text-aside">{l.mends}</p>}
      {l.candidates.length > 0 && (
        <table className="mt-2 w-full border-collapse text-left text-table">
          <thead>
            <tr className="label border-b border-rule">
              <th className="py-1 pr-3 font-semibold"> </th>
              <th className="pr-3 font-semibold">Name</th>
              <th className="pr-3 font-semibold">Born</th>
              <th className="pr-3 font-semibold">Sex</th>
              <th className="pr-3 font-semibold">Lives</th>
              <th className="pr-3 font-semibold">Telephone</th>
            </tr>
          </thead>
          <tbody>
            <Written who="As we write it" c={l.ours} />
            {l.candidates.map((c, i) => (
              <Written
                key={c.id}
                who={l.candidates.length > 1 ? `There, ${i + 1}` : "There"}
                c={c}
                ours={l.ours}
                more={
                  asking === c.id ? (
                    <Why
                      label={`Why ${c.name} is the same person`}
                      says="Why it is the same person"
                      word="Link"
                      act={(reason) =>
                        act(() =>
                          got(api.POST("/api/patients/{id}/sharing/link/confirmed", { params, body: { person: c.id, reason } })),
                        )
                      }
                      leave={() => setAsking("")}
                    />
                  ) : (
                    <span className="flex flex-wrap items-baseline gap-x-4 text-aside">
                      {l.candidates.length > 1 && <span className="text-carried">{c.why}</span>}
                      <button type="button" className="plain px-0 py-0" onClick={() => setAsking(c.id)}>
                        It is the same person…
                      </button>
                    </span>
                  )
                }
              />
            ))}
          </tbody>
        </table>
      )}
      <p className="mt-2 flex flex-wrap items-baseline gap-x-4">
        {ask && (
          <button type="button" className="choice" disabled={busy} onClick={ask}>
            {busy ? "Asking…" : l.state ? "Ask it again" : "Ask who this is there"} <KeyCap k="l" />
          </button>
        )}
        {fetchThem && (
          <button type="button" className="choice" disabled={busy} onClick={fetchThem}>
            {busy ? "Asking…" : "Fetch documents"} <KeyCap k="d" />
          </button>
        )}
        {(l.state === "question" || l.state === "nobody") && (
          <Link className="plain px-0" to={`/patients/${id}/registration`}>
            Correct our registration
          </Link>
        )}
        {!ask && !l.state && <span className="small">It is asked once the patient agrees to share in one direction.</span>}
        {l.state === "linked" &&
          (asking === "end" ? (
            <Why
              label="Why the link ends"
              says="Why the link ends"
              word="End it"
              act={async (reason) => {
                if (await act(() => got(api.POST("/api/patients/{id}/sharing/link/ended", { params, body: { reason } }))))
                  setAsking("");
              }}
              leave={() => setAsking("")}
            />
          ) : (
            <button type="button" className="plain px-0 py-0" onClick={() => setAsking("end")}>
              It is somebody else: end the link…
            </button>
          ))}
      </p>
    </>
  );
}

type Person = Schemas["AtExchange"];

// Written is how one side writes somebody; what differs from ours is heavier.
function Written({ who, c, ours, more }: { who: string; c: Person; ours?: Person; more?: React.ReactNode }) {
  const cell = (said: string, our: string | undefined, show = said) => (
    <td
      className={`py-1 pr-3 ${said && our !== undefined && said.toLowerCase() !== our.toLowerCase() ? "font-semibold text-carried" : ""}`}
    >
      {said ? show : <span className="text-faded">not said</span>}
    </td>
  );
  return (
    <>
      <tr className={more ? "" : "border-b border-rule"}>
        <th className="label py-1 pr-3 text-left font-semibold">{who}</th>
        {cell(c.name, ours?.name)}
        {cell(c.born, ours?.born, day(c.born))}
        {cell(c.sex, ours?.sex)}
        {cell(c.lives, ours?.lives)}
        {cell(c.phone, ours?.phone)}
      </tr>
      {more && (
        <tr className="border-b border-rule">
          <td />
          <td colSpan={5} className="pb-1.5">
            {more}
          </td>
        </tr>
      )}
    </>
  );
}

// NotHers is a document that names somebody who differs: it is not taken before somebody says why.
function NotHers({ id, u, act }: { id: string; u: Schemas["Untaken"]; act: Act }) {
  const [asking, setAsking] = useState(false);
  return (
    <div className="margin-note my-2 border-alarm">
      <b>
        {u.title} of {u.house || "a house that is not named"} was not taken.
      </b>{" "}
      {u.why}
      {asking ? (
        <Why
          label="Why it is the patient's all the same"
          says="Why it is the patient's all the same"
          word="Take it"
          act={(reason) =>
            act(() =>
              got(
                api.POST("/api/patients/{id}/sharing/documents/taken", {
                  params: { path: { id } },
                  body: { document: u.document, reason },
                }),
              ),
            )
          }
          leave={() => setAsking(false)}
        />
      ) : (
        <button type="button" className="plain block px-0 py-0" onClick={() => setAsking(true)}>
          It is the patient's all the same…
        </button>
      )}
    </div>
  );
}

// Sources are the houses that sent records, each a question to the patient until it is answered.
function Sources({
  v,
  first,
  says: keep,
}: {
  v: Page;
  first?: string;
  says: (record: string, word: Says, words?: string) => Promise<boolean>;
}) {
  const [asking, setAsking] = useState("");
  const says = (record: string, word: Says, words = "") =>
    keep(record, word, words).then((done) => {
      if (done) setAsking("");
    });
  return (
    <section className="mt-6 max-w-[900px]" aria-label="Where the patient was seen">
      <h3 className="border-b border-rule pb-1 text-title-s font-semibold">Where the patient was seen</h3>
      {v.sources.length === 0 && <p className="small mt-2">No house has sent a record.</p>}
      <ul>
        {v.sources.map((s) => (
          <li key={s.house} className="border-b border-rule py-2">
            <b>{s.house}</b>{" "}
            <span className="text-faded">
              {s.seen.map((x) => x.split(" to ").map(day).join(" to ")).join("; ")} ·{" "}
              {s.records === 1 ? "1 record" : `${s.records} records`}
            </span>
            {s.says ? (
              <span className={`block text-aside ${s.says === "confirmed" ? "text-settled" : "text-carried"}`}>
                {s.says === "confirmed" ? "Was there" : s.says === "doubted" ? "Not sure" : "Was never there; sent back"}
                {s.words && `: “${s.words}”`}{" "}
                <span className="text-faded">
                  {s.by}, {moment(s.at)}
                </span>
              </span>
            ) : (
              <span className="block text-aside">
                Ask {v.patient.given}: were you at {s.house}
                {s.seen[0] && `, ${s.seen[0].split(" to ").map(day).join(" to ")}`}?
              </span>
            )}
            {asking === `doubted ${s.ask}` || asking === `refused ${s.ask}` ? (
              <Why
                label="What the patient said"
                says="What the patient said"
                word="Keep it"
                act={(words) => says(s.ask, asking.startsWith("doubted") ? "doubted" : "refused", words)}
                leave={() => setAsking("")}
              />
            ) : (
              s.says !== "confirmed" && (
                <span className="mt-1 flex flex-wrap gap-3">
                  <button type="button" className="choice px-2 py-0.5 text-small" onClick={() => void says(s.ask, "confirmed")}>
                    yes {s.house === first && <KeyCap k="y" />}
                  </button>
                  {s.says !== "doubted" && (
                    <button type="button" className="plain px-0 py-0" onClick={() => setAsking(`doubted ${s.ask}`)}>
                      not sure…
                    </button>
                  )}
                  {s.says !== "refused" && (
                    <button type="button" className="plain px-0 py-0" onClick={() => setAsking(`refused ${s.ask}`)}>
                      no, not there…
                    </button>
                  )}
                </span>
              )
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}
