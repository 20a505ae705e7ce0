import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { asks } from "../../exchange/asks";
import { api, got, type Schemas } from "../../exchange/client";
import { KeyCap, onEscape, useKeys } from "../../frame/keys";
import { useLeft } from "../../frame/left";
import { day } from "../../frame/time";
import { Wrong } from "../../kit/Wrong";
import { type Change, type Finding, type Note, systemsOf, type useChange, useTools } from "../useNote";

type Item = Schemas["Item"];
type Area = "review" | "examination";

// What a line of findings can say, shown while it is empty.
const hint = {
  review: "cough dry 2w, no fever, rash, +chills, skip itching (not asked), . (all the rest no)",
  examination: 'heart, lungs: wheeze right, knee: effusion left, <foot (as last time), "free words"',
};

// A line that is being entered, and whether all of it was understood.
const nothing = { text: "", whole: false };

const sexCode: Record<string, string> = { female: "F", male: "M" };

/** Findings is where the review of systems or the examination is entered: a line
 * to type in, and every finding of the systems shown to choose from. */
export function Findings({
  note,
  area,
  focusSystem,
  act,
  close,
}: {
  note: Note;
  area: Area;
  focusSystem: string;
  act: ReturnType<typeof useChange>;
  close: () => void;
}) {
  const tools = useTools();
  const all = systemsOf(tools.data, area);
  const fitting = area === "review" ? note.fitting.review : note.fitting.examination;
  const [more, setMore] = useState<string[]>(focusSystem ? [focusSystem] : []);
  const touched = note.findings.filter((f) => f.area === area).map((f) => f.system);
  const shown = all.filter((s) => fitting.includes(s.id) || touched.includes(s.id) || more.includes(s.id));
  const sex = sexCode[note.visit.patient.sex] ?? "U";
  const have = new Map(note.findings.filter((f) => f.area === area).map((f) => [`${f.system}.${f.finding}`, f]));
  const last = useQuery(asks.last(note.id));
  const [text, setText] = useLeft(
    `line ${note.id} ${area}`,
    () => "",
    (v) => v.trim() === "",
  );
  const entering = useRef(nothing);
  const input = useRef<HTMLInputElement>(null);
  const rest = shown.map((s) => s.id);
  const read = useQuery({
    queryKey: ["line", area, text, rest.join()],
    queryFn: () => got(api.POST("/api/findings/read", { body: { area, text, rest, sex } })),
    enabled: text.trim() !== "",
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: (before) => before,
  });
  useEffect(() => input.current?.focus(), []);
  const allRest = () => act.findings([{ area, rest, was: -1 }]);
  const restWords = area === "review" ? "All the rest: no" : "All the rest: normal";

  async function enter() {
    if (text.trim() === "") return close();
    const whole = !read.isPlaceholderData && read.data?.unread.length === 0;
    entering.current = { text, whole };
    // What was read last may belong to fewer letters: the whole line decides.
    const r = await got(api.POST("/api/findings/read", { body: { area, text, rest, sex } })).catch(() => null);
    if (r) entering.current = { text, whole: r.unread.length === 0 };
    const done = r && (r.changes.length === 0 || (await act.findings(r.changes as Change[])));
    if (!done) entering.current = nothing;
    // What was not understood stays in the line, and so does what was typed meanwhile.
    else setText((now) => (now === text ? r.unread.map((u) => u.text).join(", ") : now));
  }
  /** leave keeps what was not entered, and the note says so; a line that is on its way, and
   * wholly understood, needs nobody to wait for it. */
  function leave() {
    if (entering.current.whole && entering.current.text === text) setText("");
    close();
  }
  useKeys([{ key: "Escape", label: "Back to the note", run: leave }]);
  return (
    <section
      aria-label={area === "review" ? "Review of systems" : "Examination"}
      className="my-2 border-y border-rule bg-paper px-3 py-2.5"
      onKeyDown={onEscape(leave)}
    >
      <div className="flex items-baseline gap-3">
        <input
          ref={input}
          aria-label={area === "review" ? "Symptoms, in a line" : "Findings, in a line"}
          aria-describedby="line-says"
          placeholder="In a line"
          className="field flex-1 text-read"
          autoComplete="off"
          value={text}
          onChange={(e) => {
            entering.current = nothing;
            setText(e.target.value);
          }}
          onKeyDown={(e) => {
            if (e.key === "Enter" && !e.ctrlKey && !e.metaKey) {
              e.preventDefault();
              e.stopPropagation();
              void enter();
            }
          }}
        />
        <button type="button" className="choice" onClick={() => void allRest()}>
          {restWords}
        </button>
        <button type="button" className="plain" onClick={leave}>
          Done <KeyCap k="Escape" />
        </button>
      </div>
      <div id="line-says" role="status" className="min-h-[22px] pt-1 text-aside">
        {text.trim() === "" && <span className="text-faded">{hint[area]}</span>}
        {text.trim() !== "" && read.data && (
          <>
            {read.data.says.map((s) => (
              <span key={s} className="mr-3">
                {s}
              </span>
            ))}
            {read.data.unread.map((u) => (
              <span key={u.text} className="mr-3 text-alarm">
                Not understood: “{u.text}”{u.could.length > 0 && ` – ${u.could.join(", or ")}`}
              </span>
            ))}
          </>
        )}
        {act.error && <Wrong says={act.error} as="span" />}
      </div>
      <div className="mt-1 flex flex-col gap-1.5">
        {shown.map((s) => (
          <System
            key={s.id}
            system={s}
            area={area}
            have={have}
            sex={sex}
            last={last.data?.find((l) => l.area === area && l.system === s.id)}
            act={act}
          />
        ))}
      </div>
      <label className="mt-2 block text-aside text-faded">
        Another system{" "}
        <select
          className="rounded-[3px] border border-edge bg-leaf px-1 py-0.5 text-ink"
          value=""
          onChange={(e) => setMore([...more, e.target.value])}
        >
          <option value="">choose</option>
          {all
            .filter((s) => !shown.includes(s))
            .map((s) => (
              <option key={s.id} value={s.id}>
                {s.name}
              </option>
            ))}
        </select>
      </label>
    </section>
  );
}

/** dotted marks what was carried and not looked at. */
const dotted = "underline decoration-dotted decoration-2 underline-offset-4";

function System({
  system: s,
  area,
  have,
  sex,
  last,
  act,
}: {
  system: Schemas["System"];
  area: Area;
  have: Map<string, Finding>;
  sex: string;
  last?: Schemas["LastSystem"];
  act: ReturnType<typeof useChange>;
}) {
  const [open, setOpen] = useState("");
  const items = (area === "review" ? s.symptoms : s.aspects.flatMap((a) => a.findings)).filter((i) => !i.sex || i.sex === sex);
  const any = [...have.keys()].some((k) => k.startsWith(`${s.id}.`));
  const aspects = s.aspects.map((a) => have.get(`${s.id}.${a.id}`));
  const normal = aspects.length > 0 && aspects.every((f) => f);
  // Normal at an earlier visit is not normal today until somebody looks.
  const looked = aspects.every((f) => f?.looked);
  const remark = have.get(`${s.id}.`)?.remark ?? "";
  const [words, setWords] = useState<string | null>(null);
  return (
    <div className="flex gap-2 text-aside">
      <div className="w-[118px] shrink-0 pt-1 font-semibold">{s.name}</div>
      <div className="flex min-w-0 flex-1 flex-wrap items-center gap-1.5">
        <button
          type="button"
          aria-pressed={normal && looked}
          className={`rounded-[3px] border px-2 py-0.5 ${normal && looked ? "border-settled font-semibold text-settled" : `border-dashed border-edge hover:text-ink ${normal ? `text-carried ${dotted}` : "text-faded"}`}`}
          onClick={() => act.findings([{ area, system: s.id, state: "normal", was: -1 }])}
        >
          {area === "review" ? "all no" : "normal"}
          {normal && !looked && <span className="sr-only"> (carried, not looked at)</span>}
        </button>
        {items.map((i) => (
          <Chip
            key={i.id}
            item={i}
            finding={have.get(`${s.id}.${i.id}`)}
            open={open === i.id}
            toggle={() => setOpen(open === i.id ? "" : i.id)}
            set={(c) => act.findings([{ area, system: s.id, finding: i.id, ...c }])}
          />
        ))}
        {words === null ? (
          <button type="button" className="plain text-small" onClick={() => setWords(remark)}>
            {remark ? `“${remark}”` : "words…"}
          </button>
        ) : (
          <input
            autoFocus
            aria-label={`Free words about ${s.name}`}
            className="field max-w-[260px] py-0.5"
            value={words}
            onChange={(e) => setWords(e.target.value)}
            onBlur={() => {
              if (words !== remark) void act.findings([{ area, system: s.id, state: "remark", remark: words, was: -1 }]);
              setWords(null);
            }}
            onKeyDown={(e) => {
              if (e.key === "Enter" || e.key === "Escape") {
                e.preventDefault();
                e.stopPropagation();
                e.currentTarget.blur();
              }
            }}
          />
        )}
        {any && (
          <button
            type="button"
            className="plain text-small"
            aria-label={`Clear ${s.name}`}
            onClick={() => act.findings([{ area, system: s.id, clear: true, was: -1 }])}
          >
            clear
          </button>
        )}
        {last && (
          <span className="basis-full text-faded">
            {day(last.at)}: {last.text}{" "}
            <button
              type="button"
              className="plain py-0 text-small"
              aria-label={`Bring ${s.name} forward`}
              onClick={() => act.findings([{ area, system: s.id, bring: true, was: -1 }])}
            >
              Bring forward
            </button>
          </span>
        )}
      </div>
    </div>
  );
}

const severities = ["mild", "moderate", "severe"];

function Chip({
  item: i,
  finding: f,
  open,
  toggle,
  set,
}: {
  item: Item;
  finding?: Finding;
  open: boolean;
  toggle: () => void;
  set: (c: Partial<Change>) => void;
}) {
  const present = f?.state === "present";
  const carried = f && !f.looked ? dotted : "";
  const now = {
    state: "present" as const,
    side: f?.side ?? "",
    severity: f?.severity ?? "",
    words: f?.words ?? [],
    duration: f?.duration ?? "",
    remark: f?.remark ?? "",
  };
  if (f?.state === "left out" || f?.state === "absent")
    return (
      <span
        className={`inline-flex items-center rounded-[3px] border ${f.state === "absent" ? "border-edge" : "border-dashed border-rule"}`}
      >
        <button
          type="button"
          className={`py-0.5 pl-2 ${carried} ${f.state === "absent" ? "" : "text-faded line-through"}`}
          onClick={() => set({ state: "present" })}
        >
          {f.state === "absent" && "– "}
          {i.say}
        </button>
        <button
          type="button"
          aria-label={f.state === "absent" ? `Take out ${i.say}` : `Forget ${i.say}`}
          className="min-w-6 px-1.5 py-0.5 text-faded hover:text-ink"
          onClick={() => set(f.state === "absent" ? { state: "left out" } : { clear: true })}
        >
          ×
        </button>
      </span>
    );
  if (!present)
    return (
      <button
        type="button"
        aria-pressed={false}
        className="rounded-[3px] border border-edge px-2 py-0.5 hover:bg-kelp-wash"
        onClick={() => {
          set({ state: "present" });
          toggle();
        }}
      >
        {i.say}
      </button>
    );
  const said = [now.severity, now.side && (now.side === "both" ? "both sides" : now.side), ...now.words]
    .filter(Boolean)
    .join(", ");
  return (
    <span className="inline-flex flex-wrap items-center gap-1">
      <button
        type="button"
        aria-pressed={true}
        aria-expanded={open}
        className={`rounded-[3px] bg-ink px-2 py-0.5 font-semibold text-leaf ${carried}`}
        onClick={toggle}
      >
        {i.say}
        {said && <span className="font-normal"> · {said}</span>}
      </button>
      {open && (
        <span className="inline-flex flex-wrap items-center gap-1 border-l-2 border-ink pl-1.5">
          {severities.map((s) => (
            <Option key={s} on={now.severity === s} say={s} set={() => set({ ...now, severity: now.severity === s ? "" : s })} />
          ))}
          {i.sided &&
            ["left", "right", "both"].map((s) => (
              <Option key={s} on={now.side === s} say={s} set={() => set({ ...now, side: now.side === s ? "" : s })} />
            ))}
          {[...i.pre, ...i.post].map((w) => (
            <Option
              key={w}
              on={now.words.includes(w)}
              say={w}
              set={() => set({ ...now, words: now.words.includes(w) ? now.words.filter((x) => x !== w) : [...now.words, w] })}
            />
          ))}
          <button
            type="button"
            className="min-w-6 px-1 text-faded hover:text-ink"
            aria-label={`Clear ${i.say}`}
            onClick={() => set({ clear: true })}
          >
            ×
          </button>
        </span>
      )}
    </span>
  );
}

function Option({ on, say, set }: { on: boolean; say: string; set: () => void }) {
  return (
    <button
      type="button"
      aria-pressed={on}
      className={`rounded-[3px] border px-1.5 py-0.5 ${on ? "border-kelp bg-kelp-wash font-semibold" : "border-rule text-faded hover:text-ink"}`}
      onClick={set}
    >
      {say}
    </button>
  );
}
