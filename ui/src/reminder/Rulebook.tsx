import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { useAct } from "../exchange/act";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { day } from "../frame/time";
import { moment } from "../kit/Course";
import { Filter } from "../kit/Filter";
import { Form } from "../kit/Form";
import { Wrong } from "../kit/Wrong";
import { useRight } from "../session/me";
import { useRun } from "./run";

type Rule = Schemas["RuleView"];

/** Rulebook is the rules of the reminders: where each comes from, whether it is on, its figures, and what switching
 * it would change before it is switched. */
export function Rulebook() {
  const client = useQueryClient();
  const book = useQuery(asks.rulebook());
  const [at, setAt] = useSearchParams();
  const [words, setWords] = useState("");
  const maySet = useRight("switch rules on and off, and take new ones in");
  const filter = useRef<HTMLInputElement>(null);
  const [taking, setTaking] = useState(false);
  useKeys([
    { key: "f", label: "Filter the rules", run: () => filter.current?.focus() },
    ...(maySet ? [{ key: "n", label: "Take a rule in from a file", run: () => setTaking(true) }] : []),
  ]);
  if (book.error) return <p className="p-8">{say(book.error)}</p>;
  if (!book.data) return <p className="p-8 small">Opening the rulebook…</p>;
  const rules = book.data.rules.filter((r) =>
    `${r.title} ${r.group} ${r.source} ${r.rule} ${r.on ? "on" : "off"}`.toLowerCase().includes(words.trim().toLowerCase()),
  );
  const rule = book.data.rules.find((r) => r.rule === at.get("rule")) ?? rules[0];
  const edition = book.data.editions.find((e) => e.edition === at.get("edition"));
  const groups = [...new Set(rules.map((r) => r.group))];
  const choose = (r?: Rule) => r && setAt({ rule: r.rule }, { replace: true });
  return (
    <div className="flex min-h-0 flex-1 max-wide:flex-col max-wide:overflow-auto">
      <section
        aria-label="Rules"
        className="flex w-[360px] shrink-0 flex-col border-r border-rule px-4 pt-3 max-wide:max-h-72 max-wide:w-full"
      >
        <Filter label="Filter the rules" input={filter} value={words} set={setWords} first={() => choose(rules[0])} />
        <div className="min-h-0 flex-1 overflow-auto">
          {groups.map((g) => (
            <section key={g} aria-label={g}>
              <h2 className="label mt-3 mb-1 font-sans">{g}</h2>
              <ul>
                {rules
                  .filter((r) => r.group === g)
                  .map((r) => (
                    <li key={r.rule}>
                      <button
                        type="button"
                        aria-current={!edition && r.rule === rule?.rule}
                        className={`flex w-full items-baseline gap-2 px-2 py-1 text-left ${!edition && r.rule === rule?.rule ? "bg-kelp-wash font-semibold" : "hover:bg-kelp-wash"}`}
                        onClick={() => choose(r)}
                      >
                        <span className="min-w-0 flex-1">{r.title}</span>
                        <span className={`text-small ${r.on ? "text-settled" : "text-faded"}`}>{r.on ? "on" : "off"}</span>
                      </button>
                    </li>
                  ))}
              </ul>
            </section>
          ))}
        </div>
        <p className="small border-t border-rule py-2">
          {book.data.rules.filter((r) => r.on).length} of {book.data.rules.length} rules are on.
          {book.data.old && (
            <>
              {" "}
              <b>{book.data.old}</b>{" "}
              <button
                type="button"
                className="plain px-0 py-0"
                onClick={() =>
                  void got(api.POST("/api/rulebook-edition/told", {})).then(() =>
                    client.invalidateQueries({ queryKey: ["rulebook"] }),
                  )
                }
              >
                Put it away
              </button>
            </>
          )}
        </p>
        <section aria-label="Immunization schedule" className="border-t border-rule py-2">
          <h2 className="label mb-1 font-sans">Vaccines follow</h2>
          <ul>
            {book.data.editions.map((e) => (
              <li key={e.edition}>
                <button
                  type="button"
                  aria-current={e.edition === edition?.edition}
                  className={`flex w-full items-baseline gap-2 px-2 py-1 text-left text-small ${e.edition === edition?.edition ? "bg-kelp-wash font-semibold" : "hover:bg-kelp-wash"}`}
                  onClick={() => setAt({ edition: e.edition }, { replace: true })}
                >
                  <span className="min-w-0 flex-1">
                    {e.publisher}, {e.year}
                  </span>
                  <span className={e.inUse ? "text-settled" : "text-faded"}>{e.inUse ? "in use" : ""}</span>
                </button>
              </li>
            ))}
          </ul>
        </section>
      </section>
      <main id="page" className="min-h-0 min-w-0 flex-1 overflow-auto bg-leaf px-8 py-5 max-phone:px-4">
        <header className="mb-3 flex flex-wrap items-baseline gap-x-4">
          <h1 className="text-page">Rulebook</h1>
          {maySet && (
            <button type="button" className="plain ml-auto" onClick={() => setTaking(true)}>
              Take a rule in <KeyCap k="n" />
            </button>
          )}
        </header>
        {book.data.faults.map((f) => (
          <Wrong
            key={`${f.file}${f.line}${f.reason}`}
            says={`${f.file}, line ${f.line}: ${f.reason}. The rule counts nowhere.`}
          />
        ))}
        {taking && <TakeIn close={() => setTaking(false)} taken={(id) => setAt({ rule: id }, { replace: true })} />}
        {edition && (
          <Edition
            key={`${edition.edition} ${book.data.setting}`}
            edition={edition}
            setting={book.data.setting}
            maySet={maySet}
          />
        )}
        {rule && !edition && <One key={`${rule.rule} ${rule.setting}`} rule={rule} maySet={maySet} />}
      </main>
    </div>
  );
}

// Edition is a publisher's immunization schedule: what stands otherwise under it, tried over the practice before it is used.
function Edition({ edition: e, setting, maySet }: { edition: Schemas["EditionView"]; setting: number; maySet: boolean }) {
  const client = useQueryClient();
  const { act, error } = useAct("edition");
  const { run, begin, wrong } = useRun();
  const may = maySet && !e.inUse;
  const tryOut = () => void begin({ edition: e.edition });
  const use = async () => {
    const now = await act(() => got(api.PUT("/api/rulebook-edition", { body: { edition: e.edition, setting } })));
    if (!now) return;
    client.setQueryData(asks.rulebook().queryKey, now);
    void client.invalidateQueries({ queryKey: ["reminders"] });
  };
  useKeys(may ? [{ key: "y", label: "Try it over the practice", run: tryOut }] : []);
  return (
    <article className="max-w-[78ch]">
      <h2 className="text-title-l">{e.title}</h2>
      <p className="mb-3 font-serif text-title">
        {e.publisher}, {e.year}
      </p>
      <dl className="mb-4 grid grid-cols-[112px_1fr] gap-x-4 gap-y-1">
        <dt className="text-faded">To mind</dt>
        <dd>{e.mind}</dd>
        <dt className="text-faded">Stands</dt>
        <dd>
          <b>{e.inUse ? "in use" : "not in use"}</b>
        </dd>
        {!e.inUse && (
          <>
            <dt className="text-faded">Otherwise</dt>
            <dd>
              {e.differs.length > 0 ? e.differs.join("; ") : "no rule stands otherwise under it"}
              {e.differs.length > 0 && <span className="small block">All other rules stand as they do now.</span>}
            </dd>
          </>
        )}
      </dl>
      <Wrong says={error || wrong} />
      <div className="flex flex-wrap items-baseline gap-x-3">
        {may && (
          <>
            <button type="button" className="act" onClick={tryOut}>
              Try it over the practice <KeyCap k="y" />
            </button>
            <button type="button" className="choice" onClick={() => void use()}>
              Put it in use
            </button>
          </>
        )}
        <a className="plain" href={`/api/rulebook/${e.edition}/file`} target="_blank" rel="noreferrer">
          As a file
        </a>
      </div>
      {run && <Tried run={run} />}
    </article>
  );
}

// One is a rule with its source, its figures and its switch.
function One({ rule: r, maySet }: { rule: Rule; maySet: boolean }) {
  const client = useQueryClient();
  const { act, error } = useAct("rulebook");
  const [own, setOwn] = useState(() => Object.fromEntries(r.parameters.map((p) => [p.name, p.is])));
  const changed = Object.fromEntries(r.parameters.filter((p) => own[p.name] !== p.ships).map((p) => [p.name, own[p.name] ?? ""]));
  const differs = r.parameters.some((p) => own[p.name] !== p.is);
  const { run, begin, wrong } = useRun();
  const tryOut = (on: boolean) => void begin({ rule: r.rule, try: { on, parameters: changed, setting: r.setting } });
  async function set(on: boolean) {
    const book = await act(() =>
      got(
        api.PUT("/api/rulebook/{rule}", {
          params: { path: { rule: r.rule } },
          body: { on, parameters: changed, setting: r.setting },
        }),
      ),
    );
    if (!book) return;
    client.setQueryData(["rulebook"], book);
    void client.invalidateQueries({ queryKey: ["reminders"] });
  }
  const to = differs ? r.on : !r.on;
  useKeys(maySet ? [{ key: "y", label: "Try it over the practice", run: () => tryOut(to) }] : []);
  return (
    <article className="max-w-[78ch]">
      <h2 className="text-title-l">{r.title}</h2>
      <p className="mb-3 font-serif text-title">{r.about}</p>
      <dl className="mb-4 grid grid-cols-[112px_1fr] gap-x-4 gap-y-1">
        <dt className="text-faded">Source</dt>
        <dd>
          {r.source}
          {r.mind && <span className="small block">{r.mind}</span>}
        </dd>
        <dt className="text-faded">Kept by</dt>
        <dd>
          {r.maintainer}, version {r.version}, held against its source {day(r.reviewed)}
          {r.ours ? "; taken in here" : ""}
        </dd>
        <dt className="text-faded">Closed by</dt>
        <dd>{r.closes === "data" ? "what stands in the chart" : "a person's statement"}</dd>
        <dt className="text-faded">Tested by</dt>
        <dd>{r.examples} small charts with the standing worked by hand</dd>
        <dt className="text-faded">Stands</dt>
        <dd>
          <b>{r.on ? "on" : "off"}</b>
          {r.setBy ? `, set by ${r.setBy}, ${moment(r.setAt)}` : ", as it ships"}
        </dd>
      </dl>
      {r.parameters.length > 0 && (
        <Form className="mb-4 grid gap-2" act={() => tryOut(to)}>
          {r.parameters.map((p) => (
            <label key={p.name} className="flex flex-wrap items-baseline gap-x-3">
              <span className="min-w-[240px]">{p.says}</span>
              <input
                className="field w-[120px] py-0.5"
                disabled={!maySet}
                value={own[p.name] ?? ""}
                onChange={(e) => setOwn({ ...own, [p.name]: e.target.value })}
              />
              <span className="small">
                {p.from} to {p.to}; ships as {p.ships}
              </span>
            </label>
          ))}
        </Form>
      )}
      <Wrong says={error || wrong} />
      {maySet && (
        <div className="flex flex-wrap items-baseline gap-x-3">
          <button type="button" className="act" onClick={() => tryOut(to)}>
            {differs ? "Try these figures" : r.on ? "Try without it" : "Try it"} over the practice <KeyCap k="y" />
          </button>
          <button type="button" className="choice" onClick={() => void set(to)}>
            {differs ? "Keep these figures" : r.on ? "Switch it off" : "Switch it on"}
          </button>
          <a className="plain" href={`/api/rulebook/${r.rule}/file`} target="_blank" rel="noreferrer">
            As a file
          </a>
          <a className="plain" href={`/api/rulebook/${r.rule}/plan.json`} download={`${r.rule}.json`}>
            As FHIR and CQL
          </a>
        </div>
      )}
      {run && <Tried run={run} />}
    </article>
  );
}

// Tried is what a try-out found: who would become due and who would stop.
function Tried({ run: r }: { run: Schemas["Run"] }) {
  if (!r.ended)
    return (
      <p className="mt-4" role="status">
        Looking at every chart: {r.done} of {r.of || "…"}
        <progress className="ml-3 align-middle" max={r.of || 1} value={r.done} />
      </p>
    );
  if (r.failed) return <Wrong says={r.failed} />;
  return (
    <section aria-label="What it would change" className="mt-5" role="status">
      <h3 className="text-title">
        {r.gain} would become due, {r.loss} would stop being due
      </h3>
      <p className="small mb-2">
        Of {r.done} charts, in {(r.millis / 1000).toFixed(1)} s. Nothing is changed yet.
      </p>
      {[
        { word: "Would become due", rows: r.gains },
        { word: "Would stop being due", rows: r.losses },
      ]
        .filter((x) => x.rows.length > 0)
        .map((x) => (
          <div key={x.word} className="mb-3">
            <h4 className="font-semibold">{x.word}</h4>
            <ul>
              {x.rows.map((p) => (
                <li key={p.patient.id} className="border-b border-rule py-1">
                  {p.patient.given} {p.patient.family}, {p.patient.age}
                  {p.due.map((d) => (
                    <span key={d.rule}>
                      : {d.title}, {d.state}
                      <span className="text-faded">, {d.says}</span>
                    </span>
                  ))}
                </li>
              ))}
            </ul>
          </div>
        ))}
    </section>
  );
}

// TakeIn takes a rule in from a file; a wrong one is refused with its lines.
function TakeIn({ close, taken }: { close: () => void; taken: (id: string) => void }) {
  const client = useQueryClient();
  const { act, error } = useAct("rulebook");
  const [text, setText] = useState("");
  const [faults, setFaults] = useState<Schemas["Fault"][]>([]);
  return (
    <Form
      aria-label="Take a rule in"
      className="mb-5 grid gap-2 rounded-[4px] border border-kelp p-4"
      leave={close}
      act={async () => {
        const out = await act(() => got(api.POST("/api/rulebook", { body: { text } })));
        if (!out) return;
        setFaults(out.faults);
        if (!out.rule) return;
        await client.invalidateQueries({ queryKey: ["rulebook"] });
        taken(out.rule);
        close();
      }}
    >
      <label className="font-semibold">
        The rule, as docs/rules.md describes it
        <input
          type="file"
          accept=".yaml,.yml"
          aria-label="A rule file"
          className="ml-3 font-normal"
          onChange={async (e) => setText((await e.target.files?.[0]?.text()) ?? "")}
        />
        <textarea
          autoFocus
          className="field mt-2 h-[220px] border font-mono text-small font-normal"
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
      </label>
      <Wrong says={error} />
      {faults.map((f) => (
        <Wrong key={`${f.line} ${f.reason}`} says={`${f.line ? `Line ${f.line}: ` : ""}${f.reason}`} />
      ))}
      <div className="flex items-baseline gap-x-3">
        <button type="submit" className="act">
          Check it and take it in
        </button>
        <button type="button" className="plain" onClick={close}>
          Leave <KeyCap k="Escape" />
        </button>
        <span className="small">It stays off until somebody switches it on.</span>
      </div>
    </Form>
  );
}
