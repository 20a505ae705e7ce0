import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { useChart } from "../chart/Chart";
import { Spine } from "../chart/Spine";
import { useAct } from "../exchange/act";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { useLeft } from "../frame/left";
import { Ring } from "../frame/Ring";
import { recentCharts } from "../frame/recent";
import { day } from "../frame/time";
import { Wrong } from "../kit/Wrong";
import { OrderPad } from "../order/OrderPad";
import { added, type Diagnosis, type Item, key } from "../order/pad";
import { Refer } from "../referral/Refer";
import { HarmNow } from "./Harm";
import { Settle } from "./Settle";
import { Why } from "./Why";

type Row = Schemas["ReminderView"];
const open = (r: Row) => ["due", "overdue", "not known", "could not be computed"].includes(r.state);

/** stands is how a reminder stands, in a few words with its day. */
function stands(r: Row) {
  switch (r.state) {
    case "due":
    case "overdue":
      return r.since ? `${r.state} since ${day(r.since)}` : r.state;
    case "coming up":
      return `due ${day(r.due)}`;
    case "put off":
    case "declined":
      return r.decided?.until ? `${r.state} until ${day(r.decided.until)}` : r.due ? `${r.state} until ${day(r.due)}` : r.state;
    case "satisfied":
      return r.due ? `satisfied until ${day(r.due)}` : "satisfied";
    case "not known":
      return "not known: ask";
  }
  return r.state;
}

/** Round goes through all that is due of a patient, one after another, without leaving. */
export function Round() {
  const { id = "" } = useParams();
  const [at] = useSearchParams();
  const visit = at.get("visit") ?? "";
  const chart = useChart(id);
  const view = useQuery(asks.reminders(id));
  const client = useQueryClient();
  const go = useNavigate();
  const { act, error, setError } = useAct(`round ${id}`);
  // The reminders of this round keep their places, whatever becomes of them.
  const [places, setPlaces] = useLeft<string[]>(
    `round ${id} ${visit}`,
    () => [],
    (v) => v.length === 0,
  );
  const [skipped, setSkipped] = useState<string[]>([]);
  const [chosen, setChosen] = useState("");
  const [all, setAll] = useState(false);
  const [ordering, setOrdering] = useState(false);
  const [harm, setHarm] = useState("");
  const [consult, setConsult] = useState<Schemas["ReminderAct"] & { rule: string }>();
  const about = `${id} ${visit} `;
  const [items, setItems] = useLeft<Item[]>(
    `order ${about}`,
    () => [],
    (v) => v.length === 0,
  );
  const [, setMore] = useLeft<Diagnosis[]>(
    `order diagnoses ${about}`,
    () => [],
    (v) => v.length === 0,
  );
  const rows = view.data?.rows ?? [];
  const came = rows
    .filter(open)
    .map((r) => r.rule)
    .filter((r) => !places.includes(r))
    .join(" ");
  useEffect(() => {
    if (came) setPlaces((was) => [...was, ...came.split(" ").filter((r) => !was.includes(r))]);
  });
  const c = chart.data;
  useEffect(() => {
    if (c) recentCharts.show({ id, name: `${c.patient.given} ${c.patient.family}`, to: `/patients/${id}` });
  }, [c, id]);

  const mine = places.flatMap((p) => rows.find((r) => r.rule === p) ?? []);
  const onPad = (r: Row) => items.some((i) => r.acts.some((a) => a.code === i.test.code));
  const left = mine.filter((r) => open(r) && !onPad(r));
  const next = left.filter((r) => !skipped.includes(r.rule));
  const current = rows.find((r) => r.rule === chosen) ?? next[0] ?? left[0];
  const settled = mine.length - left.length;
  const others = rows.filter((r) => !places.includes(r.rule));

  function on() {
    setChosen("");
    setError("");
  }
  async function answered(f: () => Promise<Schemas["RemindersView"]>) {
    const v = await act(f);
    if (!v) return false;
    client.setQueryData(["reminders", id], v);
    void client.invalidateQueries({ queryKey: ["chart", id] });
    on();
    return true;
  }
  const settle = (rule: string, body: Schemas["ReminderDecision"]) =>
    answered(() =>
      got(
        api.POST("/api/patients/{id}/reminders/{rule}", {
          params: { path: { id, rule } },
          body: { ...body, visit: visit || undefined },
        }),
      ),
    );
  const answer = (question: string, value: string) =>
    answered(() =>
      got(
        api.POST("/api/patients/{id}/answers", {
          params: { path: { id } },
          body: { id: crypto.randomUUID(), question, value, visit: visit || undefined },
        }),
      ),
    );
  const takeBack = (request: string, reason: string) =>
    answered(() =>
      got(api.POST("/api/patients/{id}/reminders-back/{request}", { params: { path: { id, request } }, body: { reason } })),
    );
  /** screen keeps a questionnaire; an answer that speaks of self-harm interrupts at once. */
  async function screen(form: string, request: string, answers: Record<string, string>) {
    const kept = await act(() =>
      got(
        api.POST("/api/patients/{id}/questionnaires/{form}", {
          params: { path: { id, form } },
          body: { id: request, answers, visit: visit || undefined, rule: current?.rule },
        }),
      ),
    );
    return took(kept);
  }
  function took(kept: Schemas["Screened"] | null) {
    if (!kept) return false;
    client.setQueryData(["reminders", id], kept.reminders);
    void client.invalidateQueries({ queryKey: ["chart", id] });
    if (kept.alarm) setHarm(kept.alarm);
    on();
    return true;
  }
  const beforehand = async (entry: string, confirm: boolean) =>
    took(
      await act(() =>
        got(
          api.POST("/api/patients/{id}/beforehand/{entry}", {
            params: { path: { id, entry } },
            body: { confirm, visit: visit || undefined },
          }),
        ),
      ),
    );
  /** order puts what settles a reminder onto the pad, where it is signed with the rest. */
  async function order(a: Schemas["ReminderAct"], rule: string) {
    if (a.kind === "refer") {
      setOrdering(false);
      setConsult({ ...a, rule });
      return;
    }
    const done = await act(async () => {
      const found = await client.fetchQuery(asks.tests(a.code));
      const test = found.find((t) => t.code === a.code);
      if (!test) throw new Error(`${a.says} is in no test list here.`);
      return test;
    });
    if (!done) return;
    if (a.diagnosis && a.title)
      setMore((was) => [...was.filter((d) => d.code !== a.diagnosis), { code: a.diagnosis, title: a.title }]);
    setItems((was) => added(was, done, a.diagnosis ? [a.diagnosis] : []));
    on();
  }
  // Back to the note where there is one, else to the chart.
  const noted = c?.today.some((v) => v.id === visit && v.noteId);
  const leave = () => go(noted ? `/patients/${id}/visits/${visit}` : `/patients/${id}`);
  const step = (by: number) => {
    const at = mine.findIndex((r) => r.rule === current?.rule);
    const r = mine[Math.min(mine.length - 1, Math.max(0, at + by))];
    if (r) setChosen(r.rule);
  };
  useKeys([
    { key: "ArrowDown", label: "Next reminder", run: () => step(1) },
    { key: "ArrowUp", label: "Reminder before", run: () => step(-1) },
    {
      key: "s",
      label: "Skip this one",
      run: () => {
        if (!current) return;
        setSkipped((was) => [...was, current.rule]);
        on();
      },
    },
    { key: "Alt+u", label: noted ? "Back to the note" : "Back to the chart", run: leave },
    ...(items.length > 0 ? [{ key: "o", label: "Sign what is ordered", run: () => setOrdering(true) }] : []),
  ]);
  if (chart.error || view.error) return <p className="p-8">{say(chart.error ?? view.error)}</p>;
  if (!c || !view.data) return <p className="p-8 small">Opening the round…</p>;
  /** card is the reminder one is at, with all that may be said of it. */
  const card = (r: Row, skip: () => void) => (
    <Settle
      key={`${r.rule} ${r.state}`}
      row={r}
      stands={stands(r)}
      ordered={onPad(r)}
      visit={visit}
      patient={c.patient}
      visits={c.today}
      settle={(b) => settle(r.rule, b)}
      answer={answer}
      order={(a) => order(a, r.rule)}
      screen={screen}
      beforehand={beforehand}
      gave={() => {
        void client.invalidateQueries({ queryKey: ["reminders", id] });
        void client.invalidateQueries({ queryKey: ["chart", id] });
        void client.invalidateQueries({ queryKey: ["intake"] });
        on();
      }}
      off={() => setItems((was) => was.filter((i) => !r.acts.some((a) => a.code === i.test.code)))}
      back={takeBack}
      skip={skip}
    />
  );
  return (
    <div className="flex min-h-0 flex-1 max-wide:flex-col max-wide:overflow-auto">
      <Spine chart={c} />
      {harm && <HarmNow id={harm} leave={() => setHarm("")} />}
      <main id="page" className="flex min-h-0 min-w-0 flex-1 flex-col bg-leaf max-wide:flex-none">
        <div className="min-h-0 flex-1 overflow-auto px-8 py-4 max-wide:overflow-visible max-phone:px-4">
          <header className="flex flex-wrap items-baseline gap-x-4 border-b border-rule pb-2">
            <h2 className="text-title-l">Reminder round</h2>
            <span className="small" role="status">
              {mine.length === 0
                ? "Nothing is due today."
                : `${settled} of ${mine.length} settled${visit ? "; what is said goes into today's plan" : ""}`}
            </span>
            <a className="plain ml-auto" href={`/api/patients/${id}/reminders.json`} download="reminders.json">
              As FHIR
            </a>
            <button type="button" className="plain" onClick={leave}>
              Leave <KeyCap k="Alt+U" />
            </button>
          </header>
          <Wrong says={error} />
          <ol>
            {mine.map((r) =>
              r.rule === current?.rule ? (
                <li key={r.rule}>
                  {card(r, () => {
                    setSkipped((was) => [...was, r.rule]);
                    on();
                  })}
                </li>
              ) : (
                <li key={r.rule}>
                  <Line row={r} ordered={onPad(r)} choose={() => setChosen(r.rule)} />
                </li>
              ),
            )}
          </ol>
          {mine.length > 0 && left.length === 0 && (
            <p className="py-3 font-semibold" role="status">
              All of this round is settled.
              {items.length > 0 && " What was ordered waits for the signature."}
            </p>
          )}
          <Others rows={others} all={all} show={() => setAll(!all)} current={current?.rule} choose={setChosen}>
            {(r) => card(r, on)}
          </Others>
        </div>
        {items.length > 0 && !ordering && (
          <footer className="flex shrink-0 flex-wrap items-center gap-x-3 border-t border-rule bg-paper px-8 py-2 max-phone:px-4">
            <button type="button" className="act" onClick={() => setOrdering(true)}>
              Sign {items.length === 1 ? "one order" : `${items.length} orders`}
              <KeyCap k="o" />
            </button>
            <span className="small">
              {items.map((i) => i.test.name).join(", ")}
              {visit ? " – or leave them on the pad, to be signed with the note" : ""}
            </span>
          </footer>
        )}
      </main>
      {consult ? (
        <Refer
          key={consult.code}
          patient={c.patient}
          visitId={visit || undefined}
          diagnoses={[
            ...(consult.title ? [{ code: consult.diagnosis, title: consult.title }] : []),
            ...(c.problems ?? []).map((p) => ({ code: p.code, title: p.title })),
          ]}
          begin={consult.code}
          rule={consult.rule}
          onto={() => {
            setConsult(undefined);
            setOrdering(true);
          }}
          close={() => {
            setConsult(undefined);
            void client.invalidateQueries({ queryKey: ["reminders", id] });
          }}
        />
      ) : ordering ? (
        <OrderPad
          key={items.map((i) => key(i.test)).join(" ")}
          patient={c.patient}
          visitId={visit || undefined}
          diagnoses={(c.problems ?? []).map((p) => ({ code: p.code, title: p.title }))}
          close={() => {
            setOrdering(false);
            void client.invalidateQueries({ queryKey: ["reminders", id] });
          }}
        />
      ) : (
        <aside
          aria-label="Why this is due"
          // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls is reached by keys
          tabIndex={0}
          className="w-[320px] shrink-0 overflow-auto border-l border-rule px-4 py-5 text-aside max-wide:w-full max-wide:border-l-0"
        >
          {current ? (
            <Why patient={id} rule={current.rule} back={takeBack} />
          ) : (
            <p className="small">
              Choose a reminder to see its rule, its source and the facts of this chart. <Link to={`/patients/${id}`}>Chart</Link>
            </p>
          )}
        </aside>
      )}
    </div>
  );
}

const quarters: Record<Row["state"], number> = {
  due: 0,
  overdue: 0,
  "not known": 0,
  "could not be computed": 0,
  "coming up": 0,
  "in hand": 2,
  "put off": 4,
  declined: 4,
  satisfied: 4,
  "not applicable": 4,
};

// Line is a reminder that is not worked on now.
function Line({ row: r, ordered, choose }: { row: Row; ordered: boolean; choose: () => void }) {
  const done = !open(r);
  return (
    <button
      type="button"
      className="flex w-full items-baseline gap-3 border-b border-rule px-4 py-2 text-left hover:bg-kelp-wash"
      onClick={choose}
    >
      <span className="self-center">
        <Ring of={ordered ? 2 : quarters[r.state]} />
      </span>
      <span className="min-w-0 flex-1">
        <span className="font-semibold">{r.title}</span>{" "}
        <span className="text-faded">– {done && r.decided ? r.decided.reads.replace(`${r.title}: `, "") : r.says}</span>
      </span>
      <span
        className={`shrink-0 text-small ${done ? "font-semibold text-settled" : r.state === "overdue" ? "font-semibold" : "text-faded"}`}
      >
        {ordered && open(r) ? "on the pad" : stands(r)}
      </span>
    </button>
  );
}

// Others are the reminders that nobody has to settle today.
function Others({
  rows,
  all,
  show,
  current,
  choose,
  children,
}: {
  rows: Row[];
  all: boolean;
  show: () => void;
  current?: string;
  choose: (rule: string) => void;
  children: (r: Row) => React.ReactNode;
}) {
  const count = (s: Row["state"]) => rows.filter((r) => r.state === s).length;
  const parts = (["coming up", "in hand", "put off", "declined", "satisfied", "not applicable"] as const)
    .filter((s) => count(s) > 0)
    .map((s) => `${s}: ${count(s)}`);
  if (rows.length === 0) return null;
  return (
    <section className="pt-3">
      <p className="small">
        {parts.join(", ")}.{" "}
        <button type="button" className="plain py-0" aria-expanded={all} onClick={show}>
          {all ? "Hide them" : "Show all"}
        </button>
      </p>
      {all && (
        <ol className="pt-2">
          {rows.map((r) => (
            <li key={r.rule}>
              {r.rule === current ? children(r) : <Line row={r} ordered={false} choose={() => choose(r.rule)} />}
            </li>
          ))}
        </ol>
      )}
    </section>
  );
}
