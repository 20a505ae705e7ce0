import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState, useSyncExternalStore } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { useChart } from "../chart/Chart";
import { Spine } from "../chart/Spine";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { recentCharts } from "../frame/recent";
import { day } from "../frame/time";
import { Wrong } from "../kit/Wrong";
import { OrderPad } from "../order/OrderPad";
import { OrderRow } from "../order/OrderRow";
import { Prepared } from "../order/Prepared";
import { added, type Item } from "../order/pad";
import { Prescribe } from "../prescribe/Prescribe";
import { Refer } from "../referral/Refer";
import { useRight } from "../session/me";
import { useSigning } from "../sign/useSigning";
import { Advice } from "./assess/Advice";
import { Charges } from "./assess/Charges";
import { Diagnoses } from "./assess/Diagnoses";
import { Measures } from "./assess/Measures";
import { Sets } from "./assess/Sets";
import { Supported } from "./assess/Supported";
import { Alone, heading } from "./finish/Alone";
import { Closing } from "./finish/Closing";
import { Absence, FollowUp, FollowUps } from "./finish/Finishing";
import { Leave } from "./finish/Leave";
import { Letters } from "./finish/Letters";
import { Sealed } from "./finish/Sealed";
import { useNext } from "./finish/useNext";
import { More } from "./More";
import { Kept, Title } from "./Title";
import { type Note, show, useChange, useTools } from "./useNote";
import { Beside } from "./write/Beside";
import { Carried } from "./write/Carried";
import { Drawing, Drawn } from "./write/Drawing";
import { Findings } from "./write/Findings";
import { useLeftOf } from "./write/left";
import { NotEntered } from "./write/NotEntered";
import { Part, parts } from "./write/Part";
import { Questions } from "./write/Questions";
import { begun, teach } from "./write/spelling";
import { useWriters } from "./write/useWriters";

/** Visit is the page on which a visit is documented. */
export default function Visit() {
  const { id = "", visit = "" } = useParams();
  const chart = useChart(id);
  const opened = useQuery(asks.visit(visit));
  const noteId = opened.data?.noteId ?? "";
  const note = useQuery({
    ...asks.note(noteId),
    enabled: noteId !== "",
  });
  useEffect(() => {
    const p = chart.data?.patient;
    if (p) recentCharts.show({ id, name: `${p.given} ${p.family}`, to: `/patients/${id}/visits/${visit}` });
  }, [chart.data, id, visit]);
  const error = chart.error ?? opened.error ?? note.error;
  if (error) return <p className="p-8">{say(error)}</p>;
  if (!chart.data || !opened.data || (noteId && !note.data)) return <p className="p-8 small">Opening the note…</p>;
  if (!note.data) return <p className="p-8">This visit has no note yet. Start it from Today.</p>;
  return (
    <div className="flex min-h-0 flex-1 max-wide:flex-col max-wide:overflow-auto">
      <Spine chart={chart.data} />
      {note.data.sealed ? (
        <Sealed key={noteId} note={note.data} chart={chart.data} />
      ) : (
        <Draft key={noteId} note={note.data} chart={chart.data} />
      )}
    </div>
  );
}

/** useDictionary teaches the spell check the words of the trade, once; until they have come nothing is marked. */
function useDictionary(own: string[] | undefined) {
  const on = useSyncExternalStore(begun.subscribe, begun.now);
  const medical = useQuery({
    queryKey: ["medical-words"],
    enabled: on,
    queryFn: () => got(api.GET("/api/writing/medical")),
    staleTime: Number.POSITIVE_INFINITY,
  });
  useEffect(() => {
    if (medical.data) teach(medical.data, true);
  }, [medical.data]);
  useEffect(() => {
    if (on && own) teach(own);
  }, [on, own]);
}

// Panels take the place of the margin, and the key that signs.
const panels = ["order", "refer", "prescribe", "drawing", "charges", "sets", "letters"];

// What is open beside or within the note.
type Open =
  | ""
  | "order"
  | "refer"
  | "prescribe"
  | "beside"
  | "questions"
  | "review"
  | "examination"
  | "drawing"
  | "leave"
  | "alone"
  | "follow-up"
  | "absence"
  | "charges"
  | "letters"
  | "sets";

function Draft({ note, chart }: { note: Note; chart: Schemas["ChartView"] }) {
  const client = useQueryClient();
  const go = useNavigate();
  const maySign = useRight("sign a note");
  const signsOrders = useRight("sign an order");
  const preparesOrders = useRight("prepare an order");
  const mayOrder = signsOrders || preparesOrders;
  const signsPrescriptions = useRight("sign a prescription");
  const writesPrescriptions = useRight("write a prescription for a physician's signature");
  const mayPrescribe = signsPrescriptions || writesPrescriptions;
  const [begun, setBegun] = useState<Item[]>([]); // tests of the plan, to be put on the pad
  const [line, setLine] = useState(""); // a medicine of the plan, to be prescribed
  const signsReferrals = useRight("sign a referral");
  const writesReferrals = useRight("write a referral for a physician's signature");
  const mayRefer = signsReferrals || writesReferrals;
  const [from, setFrom] = useState<Schemas["PreparedView"]>();
  const [alone, setAlone] = useState("");
  const mayProblems = useRight("change the problem list");
  const [open, setOpen] = useState<Open>("");
  const [system, setSystem] = useState("");
  const [drawing, setDrawing] = useState("");
  const [error, setError] = useState("");
  const [closing, setClosing] = useState<Schemas["ClosingView"] | null>(null);
  const [extra, setExtra] = useState<string[]>([]);
  const { sign, dialog, busy } = useSigning();
  const { next, open: openNext } = useNext(note);
  const onward = useRef(false); // the signature is to lead on to the next patient
  const writers = useWriters(note.id);
  const tools = useTools();
  useDictionary(tools.data?.words);
  const act = useChange(note.id);
  const [statuses, setStatuses] = useState<Record<string, string>>({}); // of the parts
  const onStatus = useCallback(
    (part: string, s: string) => setStatuses((all) => (all[part] === s ? all : { ...all, [part]: s })),
    [],
  );
  const register = useCallback((part: string, flush: () => Promise<number>) => {
    flushes.current[part] = flush;
  }, []);
  const flushes = useRef<Record<string, () => Promise<number>>>({});
  const focus = useRef<Record<string, () => void>>({});
  const insert = useRef<Record<string, (text: string) => void>>({});
  function order(prepared?: Schemas["PreparedView"]) {
    setFrom(prepared);
    toggle("order");
  }
  const shown = note.parts.filter(
    (p) => !["function", "remarks"].includes(p.part) || note.shows.includes(p.part) || p.text !== "" || extra.includes(p.part),
  );
  const start = shown.find((p) => p.text === "" && !["function", "remarks"].includes(p.part))?.part ?? "plan";
  // biome-ignore lint/correctness/useExhaustiveDependencies: only when the note is opened, not when a part fills
  useEffect(() => {
    focus.current[start]?.();
  }, []);

  const left = useLeftOf(note);
  const withLeft = (list: Schemas["ClosingView"]) => ({ ...list, points: [...left.points, ...list.points] });

  async function flush() {
    const versions: Record<string, number> = {};
    for (const [part, f] of Object.entries(flushes.current)) versions[part] = await f();
    return versions;
  }
  /** check reads the note as it would be signed; with nothing to say it signs at once. */
  async function check(thenNext = false) {
    onward.current = thenNext;
    setError("");
    const stood = open;
    try {
      const versions = await flush();
      const list = withLeft(await got(api.GET("/api/notes/{id}/closing", { params: { path: { id: note.id } } })));
      if (list.points.every((p) => p.kind === "told") || (closing && list.points.every((p) => !p.stops) && same(list, closing)))
        await signNote(versions, list.seen);
      else {
        setOpen((now) => (now === stood ? "" : now)); // what was opened while the answer was under way stays
        setClosing(list);
      }
    } catch (e) {
      setError(say(e));
    }
  }
  async function signNote(versions: Record<string, number>, seen: string) {
    const now = client.getQueryData(asks.note(note.id).queryKey) ?? note;
    await sign({
      title: "Sign and seal the note",
      lines: [
        `${chart.patient.given} ${chart.patient.family}, born ${day(chart.patient.birthDate)}`,
        `${note.visit.kind}, ${day(note.visit.startsAt)}`,
        `${now.diagnoses?.length ?? 0} diagnoses, ${now.diagnoses?.[0] ? `first-listed ${now.diagnoses[0].title}` : "none first-listed"}`,
      ],
      act: (secret) =>
        got(
          api.POST("/api/notes/{id}/sign", {
            params: { path: { id: note.id } },
            body: { secret, versions, listVersion: now.listVersion, seen },
          }),
        ).then((n) => show(client, n)),
      done: () => {
        if (onward.current) void openNext().catch((e) => setError(say(e)));
      },
      failed: (e) => {
        setError(say(e));
        void client.invalidateQueries({ queryKey: ["note", note.id] });
      },
    });
  }
  /** lead goes to where a sentence of the note is changed. */
  function lead(ref: string) {
    const [area, sys] = ref.split(".");
    if (ref === "questions" || area === "interview" || area === "answer") setOpen("questions");
    else if (area === "review" || area === "examination") {
      setSystem(sys ?? "");
      setOpen(area);
    } else if (ref === "charges") setOpen("charges");
    else if (ref === "order") order();
    else if (ref === "refer" || ref === "prescribe") setOpen(ref);
    else if (ref === "drawing") {
      setDrawing(left.drawing);
      setOpen("drawing");
    } else if (ref === "saying")
      setClosing(null); // the words stand under their diagnosis
    else if (area === "vitals") go(`/visits/${note.visit.id}/intake`);
  }
  /** keep opens what keeps promises of the plan, begun with what the plan says; each is confirmed there. */
  async function keep(promises: string[]) {
    const [first = ""] = promises;
    if (first === "refer") return setOpen("refer");
    if (first.startsWith("prescribe ")) {
      setLine(first.slice("prescribe ".length));
      return setOpen("prescribe");
    }
    // What the plan says of a picture is looked for in the list; where nothing is found for it, the words stand in the
    // search of the pad.
    let items: Item[] = [];
    let rest = "";
    for (const p of promises) {
      const of = p.startsWith("picture ") ? ["imaging", "procedure"] : p.startsWith("vaccine ") ? ["vaccine"] : undefined;
      const words = p.slice(p.indexOf(" ") + 1);
      const found = await client.fetchQuery(asks.tests(words));
      const what = found.find((t) => (of ? of.includes(t.kind) : t.code === words));
      const codes = (note.diagnoses ?? []).slice(0, 1).map((d) => d.code);
      if (what) items = added(items, what, codes);
      else rest = words;
    }
    setBegun(items);
    setLine(rest);
    order();
  }
  const toggle = (what: Open) => {
    setSystem("");
    setOpen(open === what ? "" : what);
  };
  const intake = () => go(`/visits/${note.visit.id}/intake`);
  const inPart = open === "" || open === "beside" || ["order", "refer", "prescribe"].includes(open);
  useKeys([
    ...shown.map(({ part }) => ({
      key: `Alt+${parts[part]?.key}`,
      label: `Write the ${parts[part]?.name}`,
      run: () => focus.current[part]?.(),
    })),
    ...shown.map(({ part }) => ({
      key: parts[part]?.key ?? "",
      label: `Write the ${parts[part]?.name}`,
      run: () => focus.current[part]?.(),
    })),
    ...both("q", "Questions of the history", () => toggle("questions")),
    ...both("r", "Review of systems", () => toggle("review")),
    ...both("e", "Examination", () => toggle("examination")),
    ...both("g", "Look beside the note: earlier notes, results, histories", () => toggle("beside")),
    {
      key: "w",
      label: "Draw",
      run: () => {
        setDrawing("");
        toggle("drawing");
      },
    },
    { key: "i", label: "Intake and vital signs", run: intake },
    { key: "Alt+z", label: "Reminder round", run: () => go(`/patients/${note.visit.patient.id}/round?visit=${note.visit.id}`) },
    { key: "l", label: "Leave the note for a colleague", run: () => toggle("leave") },
    { key: "u", label: "Ask the patient back", run: () => toggle("follow-up") },
    ...(maySign ? both("a", "Absence letter", () => toggle("absence")) : []),
    ...both("v", "Sets: what goes together in a plan", () => toggle("sets")),
    { key: "Alt+c", label: "Letters, leaflets, a message to the patient", run: () => toggle("letters") },
    { key: "m", label: "Charges and the level of the visit", run: () => toggle("charges") },
    { key: "p", label: "Print, file or fax one part alone", run: () => toggle("alone") },
    ...(mayOrder ? [{ key: "o", label: signsOrders ? "Order a laboratory test" : "Prepare an order", run: () => order() }] : []),
    ...(mayRefer
      ? [{ key: "f", label: signsReferrals ? "Refer to another practice" : "Write a referral", run: () => toggle("refer") }]
      : []),
    ...(mayPrescribe
      ? [
          {
            key: "x",
            label: signsPrescriptions ? "Prescribe; renew, change or stop a medicine" : "Write a prescription",
            run: () => toggle("prescribe"),
          },
        ]
      : []),
    ...(closing ? [{ key: "Escape", label: "Back to the note", run: () => setClosing(null) }] : []),
    ...(maySign && !panels.includes(open)
      ? [
          { key: "Ctrl+Enter", label: "Closing check, then sign the note", run: () => void check() },
          { key: "Alt+n", label: "The same, and on to the next patient", run: () => void check(true) },
        ]
      : []),
  ]);
  const orders = useQuery(asks.ordersOf(note.visit.id)).data ?? [];
  const worst =
    Object.values(statuses).find((s) => s.startsWith("Not saved")) ??
    Object.values(statuses).find((s) => s === "Saving…" || s === "Two versions");
  const newest = [...Object.values(statuses), act.saved]
    .filter((s) => s.startsWith("Saved"))
    .sort()
    .at(-1);
  const words = () => ({
    snippets: tools.data?.snippets ?? [],
    chart: [
      ...chart.medicines.map((m) => `${m.name} ${m.dose}`),
      ...chart.problems.map((p) => p.title),
      ...(tools.data?.systems.examination ?? []).flatMap((s) => s.aspects.flatMap((a) => a.findings.map((f) => f.say))),
    ],
  });
  const written = (part: string) =>
    note.blocks
      .filter((b) => b.part === part)
      .flatMap((b) => b.pieces.map((x) => x.text))
      .join(" ");
  const none = note.blocks.length === 0;
  return (
    <>
      <main id="page" className="flex min-h-0 min-w-0 flex-1 flex-col bg-leaf max-wide:flex-none">
        <div className="min-h-0 flex-1 overflow-auto max-wide:overflow-visible py-5 pr-8 pl-4 max-phone:pr-3">
          <div className="ml-12 max-phone:ml-0">
            <Title note={note}>{worst ?? newest ?? ""}</Title>
          </div>
          {shown.map((p) => (
            <Part
              key={p.part}
              note={note}
              part={p}
              open={lead}
              words={words}
              register={register}
              onStatus={onStatus}
              focusRef={(f, put) => {
                focus.current[p.part] = f;
                insert.current[p.part] = put;
              }}
              before={
                p.part === "assessment" && <Diagnoses note={note} problems={chart.problems} mayProblems={mayProblems} act={act} />
              }
              after={
                <>
                  {p.part === "subjective" && (
                    <>
                      {open !== "questions" && <NotEntered about={`question ${note.id}`} run={() => toggle("questions")} />}
                      {open !== "review" && <NotEntered about={`line ${note.id} review`} run={() => toggle("review")} />}
                      {open === "questions" && <Questions note={note} act={act} close={() => setOpen("")} />}
                      {open === "review" && (
                        <Findings
                          key={system}
                          note={note}
                          area="review"
                          focusSystem={system}
                          act={act}
                          close={() => setOpen("")}
                        />
                      )}
                      {inPart && (
                        <Chips>
                          <Opener run={() => toggle("questions")} k="q">
                            {note.interviews.length > 0
                              ? `Questions: ${note.interviews.map((i) => i.title).join(", ")}`
                              : "Questions"}
                          </Opener>
                          <Opener run={() => toggle("review")} k="r">
                            Review of systems
                          </Opener>
                        </Chips>
                      )}
                    </>
                  )}
                  {p.part === "objective" && (
                    <>
                      {open !== "examination" && (
                        <NotEntered about={`line ${note.id} examination`} run={() => toggle("examination")} />
                      )}
                      {note.drawings.map((d) => (
                        <Drawn
                          key={d.id}
                          drawing={d}
                          open={() => {
                            setDrawing(d.id);
                            setOpen("drawing");
                          }}
                        />
                      ))}
                      {open === "examination" && (
                        <Findings
                          key={system}
                          note={note}
                          area="examination"
                          focusSystem={system}
                          act={act}
                          close={() => setOpen("")}
                        />
                      )}
                      {inPart && (
                        <Chips>
                          <Opener run={() => toggle("examination")} k="e">
                            Examination
                          </Opener>
                          <Opener run={intake} k="i">
                            Vital signs
                          </Opener>
                          <Opener run={() => toggle("drawing")} k="w">
                            Draw
                          </Opener>
                        </Chips>
                      )}
                    </>
                  )}
                  {p.part === "plan" && (
                    <>
                      {orders.length > 0 && (
                        <ul className="mt-2">
                          {orders.map((o) => (
                            <li key={o.id} className="border-t border-rule py-1.5">
                              <OrderRow order={o} />
                            </li>
                          ))}
                        </ul>
                      )}
                      {inPart && note.fitting.plan.length > 0 && (
                        <Chips>
                          {note.fitting.plan
                            .filter((t) => !p.text.includes(t) && !written("plan").includes(t))
                            .map((t) => (
                              <button
                                key={t}
                                type="button"
                                className="rounded-[3px] border border-dashed border-edge px-2 py-0.5 text-left text-faded hover:text-ink"
                                onClick={() => insert.current.plan?.(t)}
                              >
                                + {t}
                              </button>
                            ))}
                        </Chips>
                      )}
                    </>
                  )}
                </>
              }
            />
          ))}
          {["function", "remarks"].some((p) => !shown.some((s) => s.part === p)) && (
            <div className="ml-12 flex gap-3 text-aside">
              {["function", "remarks"]
                .filter((p) => !shown.some((s) => s.part === p))
                .map((p) => (
                  <button key={p} type="button" className="plain py-0 font-normal" onClick={() => setExtra([...extra, p])}>
                    + {parts[p]?.name}
                  </button>
                ))}
            </div>
          )}
        </div>
        <footer
          className={`flex shrink-0 flex-wrap items-center gap-x-2 gap-y-1.5 border-t border-rule bg-paper py-2 pr-2 [&_button]:whitespace-nowrap max-phone:flex-wrap max-phone:pl-4 ${panels.includes(open) || open === "beside" ? "pl-4" : "pl-16"}`}
        >
          {maySign && (
            <button type="button" className="act" disabled={busy} onClick={() => void check()}>
              Check and sign <KeyCap k="Ctrl+Enter" />
            </button>
          )}
          {mayOrder && (
            <button type="button" className="choice" onClick={() => order()}>
              {signsOrders ? "Order" : "Prepare an order"} <KeyCap k="o" />
            </button>
          )}
          {mayPrescribe && (
            <button type="button" className="choice" onClick={() => toggle("prescribe")}>
              Prescribe <KeyCap k="x" />
            </button>
          )}
          {mayRefer && (
            <button type="button" className="choice" onClick={() => toggle("refer")}>
              Refer <KeyCap k="f" />
            </button>
          )}
          <button type="button" className="choice" onClick={() => toggle("beside")}>
            Beside <KeyCap k="g" />
          </button>
          <button type="button" className="choice" onClick={() => toggle("follow-up")}>
            Come back <KeyCap k="u" />
          </button>
          <More
            items={[
              ...(maySign ? [{ label: "Absence letter", k: "a", run: () => toggle("absence") }] : []),
              { label: "Letters, leaflets, message", k: "Alt+c", run: () => toggle("letters") },
              {
                label: "Reminder round",
                k: "Alt+z",
                run: () => go(`/patients/${note.visit.patient.id}/round?visit=${note.visit.id}`),
              },
              { label: "Sets for the plan", k: "v", run: () => toggle("sets") },
              { label: "Charges and level", k: "m", run: () => toggle("charges") },
              { label: "One part alone", k: "p", run: () => toggle("alone") },
              { label: "Leave for a colleague", k: "l", run: () => toggle("leave") },
            ]}
          />
          <Wrong
            says={error || (open === "" ? act.error : "")}
            as="span"
            className="min-w-0 flex-1 basis-0 text-aside font-semibold"
          />
        </footer>
        {dialog}
      </main>
      {open === "order" && (
        <OrderPad
          key={from?.id}
          from={from}
          begin={begun}
          looking={line}
          turn={
            from
              ? undefined
              : (to, typed) => {
                  setLine(typed);
                  setOpen(to);
                }
          }
          patient={note.visit.patient}
          visitId={note.visit.id}
          diagnoses={((note.diagnoses ?? []).length > 0 ? (note.diagnoses ?? []) : chart.problems).map((d) => ({
            code: d.code,
            title: d.title,
          }))}
          close={() => {
            setBegun([]);
            setLine("");
            setOpen("");
          }}
        />
      )}
      {open === "prescribe" && (
        <Prescribe
          patient={note.visit.patient}
          visitId={note.visit.id}
          medicines={chart.medicines.map((m) => ({ id: m.id, name: m.name, dose: m.dose }))}
          begin={line}
          onto={() => {
            setLine("");
            order();
          }}
          close={() => {
            setLine("");
            setOpen("");
          }}
        />
      )}
      {open === "refer" && (
        <Refer
          patient={note.visit.patient}
          visitId={note.visit.id}
          diagnoses={((note.diagnoses ?? []).length > 0 ? (note.diagnoses ?? []) : chart.problems).map((d) => ({
            code: d.code,
            title: d.title,
          }))}
          begin={line}
          onto={() => {
            setLine("");
            order();
          }}
          close={() => {
            setLine("");
            setOpen("");
          }}
        />
      )}
      {open === "sets" && <Sets note={note} act={act} close={() => setOpen("")} />}
      {open === "charges" && <Charges note={note} close={() => setOpen("")} />}
      {open === "letters" && <Letters note={note} close={() => setOpen("")} />}
      {open === "beside" && <Beside note={note} act={act} close={() => setOpen("")} />}
      {open === "drawing" && <Drawing key={drawing} note={note} id={drawing} act={act} close={() => setOpen("")} />}
      {!panels.includes(open) && open !== "beside" && (
        <aside
          aria-label="Beside the note"
          className="w-[332px] shrink-0 overflow-auto border-l border-rule px-4 pt-14 pb-4 max-wide:w-full max-wide:border-l-0 max-wide:pt-4"
        >
          {closing && (
            <Closing
              list={closing}
              measures={<Measures note={note} open />}
              sign={(thenNext) => void check(thenNext)}
              next={next ? `${next.patient.given} ${next.patient.family}` : ""}
              close={() => setClosing(null)}
              keep={(promises) => void keep(promises)}
              lead={(p) => {
                if (p.kind === "empty") focus.current[p.part]?.();
                else lead(p.ref);
              }}
            />
          )}
          {open === "follow-up" && <FollowUp note={note} close={() => setOpen("")} />}
          {open === "absence" && <Absence note={note} close={() => setOpen("")} />}
          {open === "alone" && (
            <div className="mb-5">
              <h2 className="mb-2 text-title">One part alone</h2>
              <div className="mb-2 flex flex-wrap gap-1.5">
                {[...new Set(note.blocks.map((b) => b.part))].map((p) => (
                  <button
                    key={p}
                    type="button"
                    aria-pressed={alone === heading[p]}
                    className="choice py-0.5"
                    onClick={() => setAlone(heading[p] ?? "")}
                  >
                    {heading[p]}
                  </button>
                ))}
                {note.blocks.length === 0 && <p className="small">Nothing is written yet.</p>}
              </div>
              {alone && <Alone key={alone} note={note} section={alone} close={() => setOpen("")} />}
            </div>
          )}
          {(chart.prepared ?? [])
            .filter((o) => !o.visitId || o.visitId === note.visit.id)
            .map((o) => (
              <Prepared key={o.id} order={o} patient={chart.patient} change={() => order(o)} />
            ))}
          {open === "leave" && <Leave note={note} act={act} close={() => setOpen("")} />}
          <div role="status" className="contents">
            {writers.length > 0 && (
              <p className="margin-note mb-5 border-carried">
                <span className="font-semibold">{[...new Set(writers)].join(", ")} has this note open too</span>
                <span className="block">A save on top of one you have not seen is refused, and both texts are kept.</span>
              </p>
            )}
          </div>
          {note.leftFor && (
            <div className="margin-note mb-5">
              <span className="block font-semibold">Left for {note.leftFor}</span>
              {note.leftWords}
            </div>
          )}
          <Carried note={note} act={act} />
          <Supported note={note} />
          <Advice note={note} maySign={maySign} />
          <FollowUps note={note} />
          {!closing && <Measures note={note} />}
          {note.warning && (
            <p className="small mb-5" title={note.warning}>
              Codes of another edition
            </p>
          )}
          {(note.conflicts ?? []).length > 0 && <Kept note={note} />}
          {(note.diagnoses?.length ?? 0) > note.claimLimit && (
            <p className="margin-note mb-5 border-carried">
              <span className="block font-semibold">More diagnoses than fit on the claim</span>
              The first {note.claimLimit} go on the claim; the note keeps all.
            </p>
          )}
          {chart.unsigned.length > 0 && (
            <div className="margin-note mb-5">
              <span className="block font-semibold">Results not signed yet</span>
              {chart.unsigned.map((r) => (
                <Link key={r.id} to={`/desk/report/${r.id}`} className="block text-kelp hover:underline">
                  {r.title}, {day(r.collectedAt)}
                </Link>
              ))}
            </div>
          )}
          {!none && (
            <p className="small">
              {Object.entries(note.share)
                .filter(([, n]) => n > 0)
                .map(([k, n]) => `${n} % ${k === "findings" ? "from findings" : k === "chart" ? "from the chart" : k}`)
                .join(", ")}
            </p>
          )}
        </aside>
      )}
    </>
  );
}

// A letter, and the same with Alt, which also works while typing.
const both = (k: string, label: string, run: () => void) => [
  { key: k, label, run },
  { key: `Alt+${k}`, label, run },
];

// Two closing lists say the same: what was read is what is signed over.
function same(a: Schemas["ClosingView"], b: Schemas["ClosingView"]) {
  const says = (l: Schemas["ClosingView"]) => l.points.map((p) => p.says).join("\n");
  return says(a) === says(b);
}

function Chips({ children }: { children: React.ReactNode }) {
  return <div className="mt-1.5 flex flex-wrap gap-1.5 text-aside">{children}</div>;
}

function Opener({ run, k, children }: { run: () => void; k: string; children: React.ReactNode }) {
  return (
    <button
      type="button"
      className="rounded-[3px] border border-dashed border-edge px-2 py-0.5 text-faded hover:text-ink"
      onClick={run}
    >
      {children} <KeyCap k={k} />
    </button>
  );
}
