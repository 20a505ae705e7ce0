import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { day } from "../frame/time";
import { Form } from "../kit/Form";
import { SearchList } from "../kit/SearchList";
import { Wrong } from "../kit/Wrong";
import { added, type Item } from "../order/pad";
import { useRight } from "../session/me";
import { useSigning } from "../sign/useSigning";

export type Beyond = "" | "order" | "prescribe";
type What = "" | "order" | "prescribe" | "problem" | "back" | "note" | "addendum" | "reminder";

/** Onward is what follows from a result without leaving it: an order on a day, a medicine, a problem, a visit, a line in today's note, an
 * addendum to the last one, the date of a reminder. */
export function Onward({ packet: p, beyond }: { packet: Schemas["PacketView"]; beyond: (to: Beyond, begin?: Item[]) => void }) {
  const client = useQueryClient();
  const [open, setOpen] = useState(false);
  const [what, setWhat] = useState<What>("");
  const [of, setOf] = useState(0);
  const [done, setDone] = useState("");
  const [error, setError] = useState("");
  const host = useRef<HTMLDivElement>(null);
  const report = p.reports[Math.min(of, p.reports.length - 1)];
  const rights = {
    order: useRight("sign an order"),
    prepare: useRight("prepare an order"),
    prescribe: useRight("sign a prescription"),
    problem: useRight("change the problem list"),
    note: useRight("write a note"),
    sign: useRight("sign a note"),
    remind: useRight("settle a reminder"),
  };
  useKeys([
    {
      key: "Alt+d",
      label: "Do something about it: order, medicine, problem, visit, note, reminder",
      run: () => {
        setOpen(!open);
        setWhat("");
      },
    },
  ]);
  // What opens is brought into view, with its first act ready.
  useEffect(() => {
    if (!open || what !== "") return;
    host.current?.querySelector<HTMLElement>("button[data-act]")?.focus({ preventScroll: true });
    host.current?.scrollIntoView({ block: "nearest" });
  }, [open, what]);
  if (!report) return null;
  const leave = () => {
    setWhat("");
    setError("");
  };
  const ok = (says: string) => {
    leave();
    setOpen(false);
    setDone(says);
    void client.invalidateQueries({ queryKey: ["report"] });
  };
  async function act(call: () => Promise<unknown>, says: string) {
    setError("");
    try {
      const came = await call();
      ok(typeof came === "string" ? came : says);
    } catch (e) {
      setError(say(e));
    }
  }
  async function order() {
    setError("");
    let items: Item[] = [];
    const codes = report?.order?.tests.filter((t) => t.name === report.title || report.title.includes(t.name)) ?? [];
    for (const t of codes.length > 0 ? codes : [{ code: report?.title ?? "", diagnoses: [] }]) {
      const found = await client.fetchQuery(asks.tests(t.code));
      const test = found.find((x) => x.code === t.code || x.name === report?.title);
      if (test)
        items = added(
          items,
          test,
          t.diagnoses.map((d) => d.code),
        );
    }
    beyond("order", items);
  }
  const all: [What, string, boolean][] = [
    ["order", "Order it again, on a day", rights.order || rights.prepare],
    ["prescribe", "A medicine: prescribe, change, stop", rights.prescribe],
    ["problem", "The problem list", rights.problem],
    ["back", "Ask the patient back", rights.note],
    ["note", `A line in today's note${p.draft.id ? "" : ": there is none"}`, rights.note && p.draft.id !== ""],
    [
      "addendum",
      p.signed.id ? `An addendum to ${p.signed.says}` : "An addendum: no note is signed",
      rights.sign && p.signed.id !== "",
    ],
    ["reminder", "The date of a reminder", rights.remind],
  ];
  const start = (w: What) => {
    setDone("");
    setError("");
    if (w === "order") void order();
    else if (w === "prescribe") beyond("prescribe");
    else setWhat(w);
  };
  return (
    <section ref={host} aria-label="Do something about it" className="mt-3">
      {!open ? (
        <p>
          <button type="button" className="plain px-0" onClick={() => setOpen(true)}>
            Do something about it <KeyCap k="Alt+D" />
          </button>
          {done && (
            <span role="status" className="block text-aside text-settled">
              ✓ {done}
            </span>
          )}
        </p>
      ) : what === "" ? (
        <fieldset
          className="margin-note"
          onKeyDown={(e) => {
            const x = all[Number(e.key) - 1];
            if (x?.[2] && !e.altKey && !e.ctrlKey) {
              e.preventDefault();
              e.stopPropagation();
              start(x[0]);
            } else if (e.key === "Escape") {
              e.stopPropagation();
              setOpen(false);
            }
          }}
        >
          {p.reports.length > 1 && (
            <label className="label block">
              About
              <select className="field text-ink" value={of} onChange={(e) => setOf(Number(e.target.value))}>
                {p.reports.map((r, i) => (
                  <option key={r.id} value={i}>
                    {r.title}
                  </option>
                ))}
              </select>
            </label>
          )}
          {all.map(([w, word, may], i) => (
            <button
              key={w}
              type="button"
              data-act={may || undefined}
              disabled={!may}
              className="plain flex w-full justify-between px-0 py-0.5 text-left"
              onClick={() => start(w)}
            >
              {word} <KeyCap k={String(i + 1)} />
            </button>
          ))}
        </fieldset>
      ) : (
        <div className="margin-note">
          {what === "problem" && <Problem patient={p.patient.id} act={act} leave={leave} />}
          {what === "back" && <Back title={report.title} act={act} leave={leave} patient={p.patient.id} />}
          {what === "note" && <Line note={p.draft} line={report.line} act={act} leave={leave} />}
          {what === "addendum" && <Addendum note={p.signed} line={report.line} ok={ok} leave={leave} />}
          {what === "reminder" && <Reminder patient={p.patient.id} act={act} leave={leave} />}
        </div>
      )}
      <Wrong says={error} className="text-aside" />
    </section>
  );
}

type Act = (call: () => Promise<unknown>, says: string) => Promise<void>; // a call that answers with words says them instead

function Problem({ patient, act, leave }: { patient: string; act: Act; leave: () => void }) {
  const [query, setQuery] = useState("");
  const [ending, setEnding] = useState("");
  const input = useRef<HTMLInputElement>(null);
  useEffect(() => input.current?.focus(), []);
  const chart = useQuery({
    queryKey: ["chart", patient],
    queryFn: () => got(api.GET("/api/patients/{id}", { params: { path: { id: patient } } })),
  });
  const params = { path: { id: patient } };
  return (
    <>
      <p className="label">The problem list</p>
      <SearchList
        label="Add a problem"
        input={input}
        placeholder="Add: words or a code"
        query={query}
        setQuery={setQuery}
        search={(q) => asks.codes("", q)}
        hits={(h) => h}
        id={(h) => h.code}
        choose={(h) =>
          void act(
            () => got(api.POST("/api/patients/{id}/problems", { params, body: { code: h.code } })),
            `${h.title}: on the list.`,
          )
        }
        none="Nothing is called so."
      >
        {(h) => (
          <>
            {h.title} <span className="font-mono text-small">{h.code}</span>
          </>
        )}
      </SearchList>
      <ul className="mt-2">
        {(chart.data?.problems ?? []).map((x) => (
          <li key={x.code} className="flex flex-wrap items-baseline justify-between gap-2">
            {x.title}
            {ending === x.code ? (
              <span className="flex gap-2">
                <button
                  type="button"
                  className="plain py-0"
                  onClick={() =>
                    void act(
                      () =>
                        got(
                          api.DELETE("/api/patients/{id}/problems/{code}", { params: { path: { id: patient, code: x.code } } }),
                        ),
                      `${x.title}: ended.`,
                    )
                  }
                >
                  End it today
                </button>
                <button type="button" className="plain py-0" onClick={() => setEnding("")}>
                  not so
                </button>
              </span>
            ) : (
              <button type="button" className="plain py-0" onClick={() => setEnding(x.code)}>
                end…
              </button>
            )}
          </li>
        ))}
      </ul>
      <button type="button" className="plain px-0" onClick={leave}>
        Leave it
      </button>
    </>
  );
}

function Back({ patient, title, act, leave }: { patient: string; title: string; act: Act; leave: () => void }) {
  const [when, setWhen] = useState("");
  const [reason, setReason] = useState(title);
  return (
    <Form
      leave={leave}
      act={() =>
        act(
          () => got(api.POST("/api/patients/{id}/follow-up", { params: { path: { id: patient } }, body: { when, reason } })),
          `Asked back in ${when}: the front desk books it.`,
        )
      }
    >
      <label className="label block">
        Back in (2w, 3m, or a day)
        <input autoFocus className="field text-ink" value={when} onChange={(e) => setWhen(e.target.value)} />
      </label>
      <label className="label mt-1 block">
        What for
        <input className="field text-ink" value={reason} onChange={(e) => setReason(e.target.value)} />
      </label>
      <button type="submit" className="plain px-0">
        Ask back <KeyCap k="Enter" />
      </button>
    </Form>
  );
}

function Line({ note, line, act, leave }: { note: Schemas["NoteAt"]; line: string; act: Act; leave: () => void }) {
  const [text, setText] = useState(line);
  async function put() {
    const n = await got(api.GET("/api/notes/{id}", { params: { path: { id: note.id } } }));
    const was = n.parts.find((x) => x.part === "objective");
    const saved = await got(
      api.PUT("/api/notes/{id}/parts/{part}", {
        params: { path: { id: note.id, part: "objective" } },
        body: {
          text: [was?.text.replace(/\s+$/, "") ?? "", text].filter(Boolean).join("\n"),
          base: was?.version ?? 0,
          saveId: crypto.randomUUID(),
        },
      }),
    );
    // What somebody wrote there meanwhile is not written over: both texts wait in the note, to be put together.
    return saved.stale
      ? `Somebody was writing in ${note.says}: your line waits there, to be put together.`
      : `In the objective part of ${note.says}.`;
  }
  return (
    <Form leave={leave} act={() => act(put, "")}>
      <label className="label block">
        In {note.says}, under Objective
        <textarea
          autoFocus
          rows={4}
          className="box font-serif text-read text-ink"
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
      </label>
      <button type="submit" className="plain px-0">
        Put it there
      </button>{" "}
      <button type="button" className="plain px-0" onClick={leave}>
        Leave it
      </button>
    </Form>
  );
}

function Addendum({
  note,
  line,
  ok,
  leave,
}: {
  note: Schemas["NoteAt"];
  line: string;
  ok: (says: string) => void;
  leave: () => void;
}) {
  const [text, setText] = useState(line);
  const [error, setError] = useState("");
  const { sign, dialog, busy } = useSigning();
  return (
    <Form
      leave={leave}
      act={() =>
        sign({
          title: "Sign the amendment",
          lines: [note.says],
          act: (secret) =>
            got(
              api.POST("/api/notes/{id}/amendments", { params: { path: { id: note.id } }, body: { secret: secret ?? "", text } }),
            ),
          done: () => ok(`Added to ${note.says}.`),
          failed: (e) => setError(say(e)),
        })
      }
    >
      <label className="label block">
        Addendum to {note.says}
        <textarea
          autoFocus
          rows={4}
          className="box font-serif text-read text-ink"
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
      </label>
      <Wrong says={error} className="text-aside" />
      <button type="submit" className="plain px-0" disabled={busy}>
        Sign it
      </button>{" "}
      <button type="button" className="plain px-0" onClick={leave}>
        Leave it
      </button>
      {dialog}
    </Form>
  );
}

function Reminder({ patient, act, leave }: { patient: string; act: Act; leave: () => void }) {
  const reminders = useQuery(asks.reminders(patient));
  const [rule, setRule] = useState<Schemas["ReminderView"] | null>(null);
  const [until, setUntil] = useState("");
  const [reason, setReason] = useState("");
  const all = (reminders.data?.rows ?? []).filter((r) => !["not applicable", "could not be computed"].includes(r.state));
  if (rule)
    return (
      <Form
        leave={leave}
        act={() =>
          act(
            () =>
              got(
                api.POST("/api/patients/{id}/reminders/{rule}", {
                  params: { path: { id: patient, rule: rule.rule } },
                  body: { id: crypto.randomUUID(), says: "put off", until, reason },
                }),
              ),
            `${rule.title}: on ${day(until)}.`,
          )
        }
      >
        <label className="label block">
          {rule.title}: not before
          <input autoFocus type="date" className="field text-ink" value={until} onChange={(e) => setUntil(e.target.value)} />
        </label>
        <label className="label mt-1 block">
          Why then
          <input className="field text-ink" value={reason} onChange={(e) => setReason(e.target.value)} />
        </label>
        <button type="submit" className="plain px-0">
          Set the date <KeyCap k="Enter" />
        </button>
      </Form>
    );
  return (
    <>
      <p className="label">The date of which reminder</p>
      {reminders.error && <Wrong says={say(reminders.error)} />}
      <ul className="max-h-72 overflow-auto">
        {all.map((r, i) => (
          <li key={r.rule}>
            <button
              type="button"
              autoFocus={i === 0}
              className="plain flex w-full justify-between gap-3 px-0 py-0.5 text-left"
              onClick={() => setRule(r)}
            >
              {r.title} <span className="small shrink-0">{r.state}</span>
            </button>
          </li>
        ))}
      </ul>
      <button type="button" className="plain px-0" onClick={leave}>
        Leave it
      </button>
    </>
  );
}
