import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { Link } from "react-router";
import { asks } from "../exchange/asks";
import type { Schemas } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { useDraft } from "../frame/left";
import { day, inDays } from "../frame/time";
import { VaccineForm } from "../intake/VaccineForm";
import { Choice } from "../kit/Choice";
import { Form } from "../kit/Form";
import { useMe, useRight } from "../session/me";
import { Questionnaire } from "./Questionnaire";

type Row = Schemas["ReminderView"];
type Says = Schemas["ReminderDecision"]["says"];
type Way = Says | "order";

const ways: { way: Way; word: string }[] = [
  { way: "done", word: "Done now" },
  { way: "had outside", word: "Had outside" },
  { way: "order", word: "Order" },
  { way: "declined", word: "Declined" },
  { way: "put off", word: "Put off" },
  { way: "does not apply", word: "Not for this patient" },
];

const nothing = { on: "", until: "", reason: "", source: "patient says", of: "", cvx: "", value: "", act: 0 };

/** Settle is the reminder at hand: how it stands, and the ways to settle it, each a key. */
export function Settle({
  row: r,
  stands,
  ordered,
  visit,
  patient,
  visits,
  settle,
  answer,
  order,
  screen,
  beforehand,
  gave,
  off,
  back,
  skip,
}: {
  row: Row;
  stands: string;
  ordered: boolean;
  visit: string;
  patient: Schemas["PatientView"];
  visits: Schemas["VisitView"][];
  settle: (d: Schemas["ReminderDecision"]) => Promise<boolean>;
  answer: (question: string, value: string) => Promise<boolean>;
  order: (a: Schemas["ReminderAct"]) => Promise<void>;
  screen: (form: string, request: string, answers: Record<string, string>) => Promise<boolean>;
  beforehand: (entry: string, confirm: boolean) => Promise<boolean>;
  /** A vaccine was recorded as given, or its form was left. */
  gave: () => void;
  off: () => void;
  back: (request: string, reason: string) => Promise<boolean>;
  skip: () => void;
}) {
  const { today } = useMe();
  const orders = r.acts.filter((a) => a.kind === "test" || a.kind === "item" || a.kind === "vaccine" || a.kind === "refer");
  const forms = r.acts.filter((a) => a.kind === "questionnaire");
  const here = visit || visits[0]?.id;
  const mayGive = useRight("do the intake") && here !== undefined;
  const vaccines = mayGive ? r.acts.filter((a) => a.kind === "vaccine") : [];
  const house = useQuery({ ...asks.house(""), enabled: vaccines.length > 0 });
  const measures = r.acts.some((a) => a.kind === "counsel" && a.code === "blood-pressure");
  const can = (w: Way) =>
    (w !== "order" || orders.length > 0) &&
    (w !== "done" || r.closes === "statement" || forms.length > 0 || vaccines.length > 0) &&
    (w !== "had outside" || r.means.length > 0);
  const offered = ways
    .map((w, i) => ({ ...w, k: String(i + 1), word: w.way === "done" && vaccines.length > 0 ? "Given now" : w.word }))
    .filter((w) => can(w.way));
  const [way, setWay] = useState<Way | "">("");
  const { d, request, change, given } = useDraft(
    `settle ${patient.id} ${r.rule}`,
    () => ({ ...nothing }),
    (v) => JSON.stringify(v) === JSON.stringify(nothing),
  );
  const giving = way === "done" && vaccines.length > 0 && r.closes === "data";
  const dose = vaccines[Math.min(d.act, vaccines.length - 1)];
  const vaccine = house.data?.vaccines.find((v) => dose?.code === `cvx-${v.cvx}`);
  const asking = way === "done" && forms.length > 0 && (r.closes === "data" || d.act < forms.length);
  const act = orders[Math.min(d.act, orders.length - 1)];
  const asked = r.asks.filter((q) => q.choices.length > 0);
  const written = r.asks.filter((q) => q.choices.length === 0);
  const [words, setWords] = useState("");
  useKeys([
    ...offered.map((w) => ({ key: w.k, label: `${w.word}: ${r.title}`, run: () => setWay(w.way) })),
    ...(r.beforehand && !r.beforehand.problem
      ? [{ key: "c", label: `Confirm: ${r.beforehand.says}`, run: () => void beforehand(r.beforehand?.entry ?? "", true) }]
      : []),
    ...(asked[0]
      ? [
          { key: "y", label: `Yes: ${asked[0].says}`, run: () => void answer(asked[0]?.id ?? "", "yes") },
          { key: "n", label: `No: ${asked[0].says}`, run: () => void answer(asked[0]?.id ?? "", "no") },
        ]
      : []),
  ]);
  async function run() {
    if (way === "order") {
      if (act) await order(act);
      return;
    }
    if (!way) return;
    const body: Schemas["ReminderDecision"] = { id: request, says: way, reason: d.reason || undefined };
    if (way === "had outside") {
      body.on = d.on;
      body.source = d.source;
      body.of = d.of || r.means[0]?.name;
      body.cvx = d.cvx || undefined;
      body.value = d.value || undefined;
    }
    if (way === "put off") body.until = d.until || inDays(today, 91);
    if (way === "done" && d.until) body.until = d.until;
    if (await settle(body)) given();
  }
  const mean = r.means.find((m) => m.name === (d.of || r.means[0]?.name));
  return (
    <section aria-label={r.title} className="my-1 rounded-[4px] border border-kelp px-4 py-3">
      <div className="flex flex-wrap items-baseline justify-between gap-x-4">
        <h3 className="text-title">{r.title}</h3>
        <span className="text-small">
          <b>{r.state}</b>
          {stands.replace(r.state, "")}
          {!way && (
            <button type="button" className="plain ml-4 py-0 pr-0" onClick={skip}>
              Skip <KeyCap k="s" />
            </button>
          )}
        </span>
      </div>
      <p className="mb-2">
        {r.about} <span className="text-faded">In the chart: {r.says}.</span>
      </p>
      {r.beforehand && (
        <p className="margin-note mb-2">
          Answered before the visit{r.beforehand.on && `, ${day(r.beforehand.on)}`}: <b>{r.beforehand.says}</b>{" "}
          {!r.beforehand.problem && (
            <button type="button" className="plain py-0" onClick={() => void beforehand(r.beforehand?.entry ?? "", true)}>
              Confirm <KeyCap k="c" />
            </button>
          )}{" "}
          <button type="button" className="plain py-0" onClick={() => void beforehand(r.beforehand?.entry ?? "", false)}>
            Leave out
          </button>
        </p>
      )}
      {asked.map((q, i) => (
        <fieldset key={q.id} className="mb-2 flex flex-wrap items-baseline gap-2">
          <legend className="float-left mr-2 font-semibold">{q.says}</legend>
          {q.choices.map((c) => (
            <Choice key={c} on={false} set={() => void answer(q.id, c)}>
              {c}
              {i === 0 && (c === "yes" || c === "no") && <KeyCap k={c === "yes" ? "y" : "n"} />}
            </Choice>
          ))}
        </fieldset>
      ))}
      {written.map((q) => (
        <Form
          key={q.id}
          className="mb-2 flex flex-wrap items-baseline gap-2"
          act={async () => (await answer(q.id, words)) && setWords("")}
        >
          <label className="flex min-w-0 flex-1 flex-wrap items-baseline gap-2 font-semibold">
            {q.says}
            <input
              className="field w-auto min-w-[220px] flex-1 py-0.5"
              placeholder="1 pack a day since 1998; 20 pack-years, stopped 2019; never"
              value={words}
              onChange={(e) => setWords(e.target.value)}
            />
          </label>
          <button type="submit" className="plain py-0">
            Keep it <KeyCap k="Enter" />
          </button>
        </Form>
      ))}
      <fieldset aria-label={`How ${r.title} is settled`} className="mb-2 flex flex-wrap gap-x-1.5 gap-y-2">
        {offered.map((w) => (
          <Choice key={w.way} on={way === w.way} set={() => setWay(w.way)} className="font-semibold">
            {w.word} <KeyCap k={w.k} />
          </Choice>
        ))}
      </fieldset>
      {measures && here && (
        <p className="mb-2">
          Settled by measuring it:{" "}
          <Link className="font-semibold text-kelp hover:underline" to={`/visits/${here}/intake`}>
            open the intake
          </Link>
        </p>
      )}
      {ordered && (
        <p className="mb-2">
          It is on the pad, to be signed.{" "}
          <button type="button" className="plain py-0" onClick={off}>
            Take it off
          </button>
        </p>
      )}
      {r.decided && r.state !== "due" && r.state !== "overdue" && (
        <p className="mb-2">
          {r.decided.reads}{" "}
          <button type="button" className="plain py-0" onClick={() => void back(r.decided?.request ?? "", "")}>
            Take it back
          </button>
        </p>
      )}
      {asking && (
        <>
          {forms.length + (r.closes === "statement" ? 1 : 0) > 1 && (
            <Field says="Which">
              {forms.map((f, i) => (
                <Choice key={f.code} on={i === d.act} set={() => change({ act: i })}>
                  {f.says}
                </Choice>
              ))}
              {r.closes === "statement" && (
                <Choice on={false} set={() => change({ act: forms.length })}>
                  in other words
                </Choice>
              )}
            </Field>
          )}
          <Questionnaire
            key={forms[Math.min(d.act, forms.length - 1)]?.code}
            id={forms[Math.min(d.act, forms.length - 1)]?.code ?? ""}
            patient={patient.id}
            keep={async (id, answers) => {
              const kept = await screen(forms[Math.min(d.act, forms.length - 1)]?.code ?? "", id, answers);
              if (kept) given();
              return kept;
            }}
            leave={() => setWay("")}
          />
        </>
      )}
      {giving && (
        <>
          {vaccines.length > 1 && (
            <Field says="Which">
              {vaccines.map((a, i) => (
                <Choice key={a.code} on={i === d.act} set={() => change({ act: i })}>
                  {a.says}
                </Choice>
              ))}
            </Field>
          )}
          {vaccine && here && (
            <VaccineForm
              key={vaccine.cvx}
              vaccine={vaccine}
              visit={here}
              recorded={() => given()}
              close={() => {
                setWay("");
                gave();
              }}
            />
          )}
        </>
      )}
      {way && !asking && !giving && (
        <Form className="grid gap-2" act={run} leave={() => setWay("")}>
          {way === "order" && (
            <>
              {orders.length > 1 && (
                <Field says="What">
                  {orders.map((a, i) => (
                    <Choice key={a.code} on={i === d.act} set={() => change({ act: i })}>
                      {a.says}
                    </Choice>
                  ))}
                </Field>
              )}
              {act && (
                <p className="small">
                  {orders.length === 1 && `${act.says}. `}
                  {act.title ? `For ${act.diagnosis} ${act.title}.` : ""}{" "}
                  {act.kind === "refer" ? "To whom, and its question, are asked beside." : "What it asks is asked on the pad."}
                </p>
              )}
            </>
          )}
          {way === "had outside" && (
            <>
              {r.means.length > 1 && (
                <Field says="What">
                  {r.means.map((m) => (
                    <Choice key={m.name} on={m.name === mean?.name} set={() => change({ of: m.name, cvx: "" })}>
                      {m.says}
                    </Choice>
                  ))}
                </Field>
              )}
              {(mean?.products.length ?? 0) > 1 && (
                <Field says="Which">
                  <select
                    aria-label="Which vaccine"
                    className="field w-auto py-0.5"
                    value={d.cvx}
                    onChange={(e) => change({ cvx: e.target.value })}
                  >
                    <option value="">choose</option>
                    {mean?.products.map((p) => (
                      <option key={p.cvx} value={p.cvx}>
                        {p.name}
                      </option>
                    ))}
                  </select>
                </Field>
              )}
              <Field says="When">
                <input
                  autoFocus
                  aria-label="When"
                  className="field w-[240px] py-0.5"
                  placeholder="2024-05-07, 2024-05 or 2024"
                  value={d.on}
                  onChange={(e) => change({ on: e.target.value })}
                />
              </Field>
              <Field says="Who says so">
                {["patient says", "record seen"].map((s) => (
                  <Choice key={s} on={d.source === s} set={() => change({ source: s })}>
                    {s}
                  </Choice>
                ))}
                <input
                  aria-label="Who says so"
                  className="field w-[220px] py-0.5"
                  value={d.source}
                  onChange={(e) => change({ source: e.target.value })}
                />
              </Field>
              {mean?.value && (
                <Field says="It turned out">
                  <input
                    aria-label="How it turned out"
                    className="field w-[150px] py-0.5"
                    placeholder="negative; 5.6"
                    value={d.value}
                    onChange={(e) => change({ value: e.target.value })}
                  />
                </Field>
              )}
            </>
          )}
          {way === "put off" && (
            <Field says="Until">
              {[
                ["3 months", 91],
                ["6 months", 182],
                ["1 year", 365],
              ].map(([word, n]) => (
                <Choice
                  key={word}
                  on={(d.until || inDays(today, 91)) === inDays(today, n as number)}
                  set={() => change({ until: inDays(today, n as number) })}
                >
                  {word}
                </Choice>
              ))}
              <input
                aria-label="Until"
                className="field w-[120px] py-0.5"
                placeholder="2027-05-04"
                value={d.until || inDays(today, 91)}
                onChange={(e) => change({ until: e.target.value })}
              />
            </Field>
          )}
          {way !== "order" && (
            <Field says={way === "done" || way === "had outside" ? "Remark" : "Why"}>
              <input
                autoFocus={way !== "had outside"}
                aria-label={way === "done" || way === "had outside" ? "Remark" : "Why"}
                className="field w-auto min-w-[200px] flex-1 py-0.5"
                value={d.reason}
                onChange={(e) => change({ reason: e.target.value })}
              />
            </Field>
          )}
          <div className="flex flex-wrap items-baseline gap-x-3">
            <button type="submit" className="act" autoFocus={way === "order"}>
              {way !== "order" ? "Keep it and next" : act?.kind === "refer" ? "Write the referral" : "Add order and next"}{" "}
              <KeyCap k="Enter" />
            </button>
            <button type="button" className="plain" onClick={() => setWay("")}>
              Leave it
            </button>
            {way !== "order" && (
              <span className="small ml-auto">
                {visit ? "The note will read" : "It will read"}: “{reads(r, way, d, today)}”
              </span>
            )}
          </div>
        </Form>
      )}
    </section>
  );
}

function Field({ says, children }: { says: string; children: ReactNode }) {
  return (
    <div className="flex flex-wrap items-baseline gap-2">
      <span className="w-[92px] shrink-0 text-faded">{says}</span>
      {children}
    </div>
  );
}

// reads is what will stand in the plan, as core/reminder writes it.
function reads(r: Row, way: Says, d: typeof nothing, today: string) {
  const why = d.reason.trim() ? `: ${d.reason.trim().replace(/[. ]+$/, "")}` : "";
  switch (way) {
    case "done":
      return `${r.note.replace(/\.$/, "")}${why}.`;
    case "had outside":
      return `${r.title}: had elsewhere${d.on ? `, ${d.on}` : ""} (${d.source})${why}.`;
    case "declined":
      return `${r.title}: declined${why}.`;
    case "put off":
      return `${r.title}: put off until ${d.until || inDays(today, 91)}${why}.`;
  }
  return `${r.title}: does not apply${why}.`;
}
