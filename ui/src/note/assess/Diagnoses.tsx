import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions } from "@headlessui/react";
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { type KeyboardEvent, useEffect, useRef, useState } from "react";
import { asks } from "../../exchange/asks";
import { api, got, type Schemas, say } from "../../exchange/client";
import { KeyCap, useKeys } from "../../frame/keys";
import { Form } from "../../kit/Form";
import { Wrong } from "../../kit/Wrong";
import { useRight } from "../../session/me";
import { type Act, useChange } from "../useNote";
import { saidWords } from "../write/left";
import { NotEntered } from "../write/NotEntered";
import { Saying } from "./Saying";

type Note = Schemas["NoteView"];
type Code = Schemas["CodeView"];

// What stands last while nothing is searched: the chapters, to browse.
const byArea: Code = { code: "areas", title: "Browse by area of the body", billable: false, why: "", notes: [] };

/** Diagnoses is the list of the visit's codes: the first is first-listed. */
export function Diagnoses({
  note,
  problems,
  mayProblems,
  act,
}: {
  note: Note;
  problems: Schemas["ProblemView"][];
  mayProblems: boolean;
  act: Act;
}) {
  const client = useQueryClient();
  const change = useChange(note.id);
  const [query, setQuery] = useState("");
  const [under, setUnder] = useState<Code | null>(null);
  const { error, setError } = change;
  const [touched, setTouched] = useState(""); // the code that keys act on: the one touched last
  const [active, setActive] = useState<Code | null>(null);
  const moved = useRef(false); // somebody went through what was found
  const [saying, setSaying] = useState("");
  const [describing, setDescribing] = useState("");
  const [inside, setInside] = useState(false); // the focus is in the field
  const mayClinic = useRight("change the clinic's forms");
  const pins = useQuery(asks.pins());
  const input = useRef<HTMLInputElement>(null);
  const list = note.diagnoses ?? [];
  const at = list.findIndex((d) => d.code === touched);
  const search = asks.codes(under?.code ?? "", under ? "" : query);
  const found = useQuery({
    ...search,
    enabled: under !== null || query.trim() !== "",
    placeholderData: keepPreviousData,
  });
  const kept: Code[] = (pins.data ?? []).map((p) => ({
    ...p,
    billable: true,
    why: p.clinic ? "pinned by the clinic" : "pinned",
    notes: [],
  }));
  const ongoing: Code[] = problems
    .filter((p) => !kept.some((c) => c.code === p.code))
    .map((p) => ({
      code: p.code,
      title: p.title,
      billable: true,
      why: `on the problem list${known(p)}`,
      notes: [],
    }));
  const resting = !under && query.trim() === "";
  const hits = resting ? [] : (found.data ?? []).filter((c) => !under || matches(c, query));
  const offered = resting && inside ? [...kept, ...ongoing, byArea].filter((c) => !list.some((d) => d.code === c.code)) : [];
  const atHand = useRef<HTMLUListElement>(null);

  // The key after a change is for the diagnosis it was about.
  const set = async (to: (codes: string[]) => string[], then: string) => {
    if (await change.diagnoses(to)) setTouched(then);
  };
  function choose(c: Code | null, first = false) {
    if (!c) return;
    if (!c.billable) {
      setUnder(c);
      setQuery((now) => (now === query ? "" : now));
      // The field is left and entered again, so that the codes under the heading can be chosen from.
      input.current?.blur();
      setTimeout(() => input.current?.focus());
      setInside(true);
      return;
    }
    setQuery((now) => (now === query ? "" : now));
    setUnder(null);
    if (list.some((d) => d.code === c.code)) {
      setError(`${c.code} stands on the list already.`);
      return;
    }
    void set((codes) => (first ? [c.code, ...codes] : [...codes, c.code]), c.code);
    (document.activeElement as HTMLElement | null)?.blur();
  }
  function move(by: number) {
    const to = at + by;
    if (at < 0 || to < 0 || to >= list.length) return;
    void set((codes) => {
      const next = [...codes];
      const [c] = next.splice(at, 1);
      if (c) next.splice(to, 0, c);
      return next;
    }, touched);
  }
  function first(i: number) {
    const code = list[i]?.code;
    if (code) void set((codes) => [code, ...codes.filter((c) => c !== code)], code);
  }
  async function problem(i: number) {
    const d = list[i];
    if (!d || !mayProblems) return;
    try {
      const path = { id: note.visit.patient.id };
      if (d.onProblemList)
        await got(api.DELETE("/api/patients/{id}/problems/{code}", { params: { path: { ...path, code: d.code } } }));
      else await got(api.POST("/api/patients/{id}/problems", { params: { path }, body: { code: d.code } }));
      setError("");
    } catch (e) {
      setError(say(e));
    }
    await client.invalidateQueries({ queryKey: ["note", note.id] });
  }
  const pinned = (code: string, clinic: boolean) => pins.data?.some((p) => p.code === code && p.clinic === clinic) ?? false;
  async function pin(code: string, clinic = false) {
    try {
      await got(api.POST("/api/pins", { body: { code, clinic, off: pinned(code, clinic) } }));
    } catch (e) {
      setError(say(e));
    }
    await client.invalidateQueries({ queryKey: ["pins"] });
  }
  /** join writes a diagnosis under one bullet with the one before it, or under its own. */
  function join(i: number) {
    const d = list[i];
    if (d)
      void act.run(() =>
        got(
          api.POST("/api/notes/{id}/diagnoses/join", {
            params: { path: { id: note.id } },
            body: { code: d.code, on: !d.joined },
          }),
        ),
      );
  }
  function off(code: string) {
    const i = list.findIndex((d) => d.code === code);
    void set((codes) => codes.filter((c) => c !== code), (list[i + 1] ?? list[i - 1])?.code ?? "");
  }
  const go = (to: number) => setTouched(list[Math.max(0, Math.min(list.length - 1, to))]?.code ?? "");
  const some = at >= 0;
  useKeys([
    { key: "d", label: "Add a diagnosis", run: () => input.current?.focus() },
    ...(list.length > 0
      ? [
          { key: "j", label: "Next diagnosis", run: () => go(at + 1) },
          { key: "h", label: "Diagnosis before", run: () => go(at - 1) },
        ]
      : []),
    ...(some
      ? [
          { key: "Home", label: "Make this diagnosis first-listed", run: () => first(at) },
          { key: "Alt+ArrowUp", label: "Move this diagnosis up", run: () => move(-1) },
          { key: "Alt+ArrowDown", label: "Move this diagnosis down", run: () => move(1) },
          { key: "t", label: "Say how this diagnosis responds", run: () => setSaying(list[at]?.code ?? "") },
          ...(at > 0
            ? [{ key: ".", label: "Under one bullet with the diagnosis before it, or by itself", run: () => join(at) }]
            : []),
          ...(mayProblems && list[at]?.onProblemList
            ? [
                {
                  key: "Alt+b",
                  label: "Since when it is known, and how it stands",
                  run: () => setDescribing(list[at]?.code ?? ""),
                },
              ]
            : []),
          { key: "Delete", label: "Take this diagnosis off the visit", run: () => off(touched) },
          ...(mayProblems
            ? [{ key: "b", label: "Put it on the problem list, or take it off", run: () => void problem(at) }]
            : []),
        ]
      : []),
  ]);

  async function key(e: KeyboardEvent) {
    const first = e.ctrlKey || e.metaKey;
    if (e.key === "ArrowDown" || e.key === "ArrowUp") moved.current = true;
    if (e.key === "ArrowDown" && resting) {
      e.preventDefault();
      atHand.current?.querySelector("button")?.focus();
      return;
    }
    if (e.key === "Enter" && resting) {
      e.preventDefault(); // nothing to choose: the field lets go of the key, and the page has it
      return;
    }
    if (e.key === "Enter" && (found.isPlaceholderData || found.isFetching)) {
      // The list on the screen still belongs to fewer letters: the one for all of them decides.
      e.preventDefault();
      e.stopPropagation();
      setQuery("");
      choose((await client.fetchQuery(search))[0] ?? null, first);
    } else if (e.key === "Enter") {
      e.preventDefault();
      e.stopPropagation();
      // Who has only typed means the first; what was highlighted may belong to fewer letters.
      choose((moved.current && hits.find((h) => h.code === active?.code)) || hits[0] || null, first);
    } else if (e.key === "Escape") {
      e.preventDefault();
      if (query || under) {
        setQuery("");
        setUnder(null);
      } else input.current?.blur();
    } else if (e.key === "Backspace" && query === "") setUnder(null);
  }
  // step goes through what is at hand; above the first stands the field again.
  function step(e: KeyboardEvent) {
    const all = [...(atHand.current?.querySelectorAll("button") ?? [])];
    const i = all.indexOf(e.currentTarget as HTMLButtonElement);
    const to =
      e.key === "ArrowDown"
        ? all[i + 1]
        : e.key === "ArrowUp"
          ? (all[i - 1] ?? input.current)
          : e.key === "Escape" && input.current;
    if (!["ArrowDown", "ArrowUp", "Escape"].includes(e.key)) return;
    e.preventDefault();
    e.stopPropagation();
    if (to) to.focus();
  }
  return (
    <div>
      <ol>
        {list.map((d, i) => (
          <li
            key={d.code}
            className={`group flex flex-wrap items-baseline gap-x-4 border-b border-rule py-1.5 ${i === at ? "bg-kelp-wash" : ""}`}
            onPointerDown={() => setTouched(d.code)}
          >
            <span className="w-4 text-right font-semibold">
              {d.joined ? <span title="Under one bullet with the one before it">+</span> : bullets(list, i)}
            </span>
            <span className="w-20 font-mono text-aside">{d.code}</span>
            <span className="flex-1">
              {d.title}
              {i === 0 && list.length > 1 && <span className="small"> · first-listed</span>}
              {i >= note.claimLimit && (
                <span className="text-small text-carried"> · kept in the note, does not fit on the claim</span>
              )}
            </span>
            <span className="pr-2 text-small text-faded">{d.onProblemList && `on problem list${known(d)}`}</span>
            {i === at && (
              <span className="-mb-1 ml-[3.1rem] flex basis-full flex-wrap gap-x-2 text-small">
                {i > 0 && (
                  <button type="button" className="plain" onClick={() => first(i)}>
                    First <KeyCap k="Home" />
                  </button>
                )}
                {mayProblems && (
                  <button type="button" className="plain" onClick={() => problem(i)}>
                    {d.onProblemList ? "End problem" : "Problem list"} <KeyCap k="b" />
                  </button>
                )}
                {mayProblems && d.onProblemList && (
                  <button type="button" className="plain" onClick={() => setDescribing(d.code)}>
                    Since <KeyCap k="Alt+b" />
                  </button>
                )}
                <button type="button" className="plain" onClick={() => setSaying(d.code)}>
                  Say <KeyCap k="t" />
                </button>
                {i > 0 && (
                  <button type="button" className="plain" onClick={() => join(i)}>
                    {d.joined ? "By itself" : "Join"} <KeyCap k="." />
                  </button>
                )}
                <button type="button" className="plain" onClick={() => void pin(d.code)}>
                  {pinned(d.code, false) ? "Unpin" : "Pin"}
                </button>
                {mayClinic && (pinned(d.code, false) || pinned(d.code, true)) && (
                  <button type="button" className="plain" onClick={() => void pin(d.code, true)}>
                    {pinned(d.code, true) ? "Unpin for the clinic" : "Pin for the clinic"}
                  </button>
                )}
                <button type="button" className="plain" onClick={() => off(d.code)}>
                  Take off <KeyCap k="Delete" />
                </button>
              </span>
            )}
            {describing === d.code && <Describe note={note} diagnosis={d} close={() => setDescribing("")} />}
            {saying === d.code ? (
              <Saying note={note} diagnosis={d} act={act} close={() => setSaying("")} />
            ) : (
              <NotEntered
                className="ml-8 basis-full"
                about={`saying ${note.id} ${d.code}`}
                say={saidWords}
                run={() => setSaying(d.code)}
              />
            )}
          </li>
        ))}
      </ol>
      <Combobox<Code | null> value={null} onChange={(c) => choose(c)} immediate>
        {list.length > 0 && (
          <span className="small float-right mt-2" title="Diagnoses that fit on the claim">
            {list.length} of {note.claimLimit} diagnoses
          </span>
        )}
        {/* biome-ignore lint/a11y/noStaticElementInteractions: it only knows whether the focus is within */}
        <div onFocus={() => setInside(true)} onBlur={(e) => !e.currentTarget.contains(e.relatedTarget) && setInside(false)}>
          <div className="mt-1.5 flex max-w-[430px] items-baseline">
            {under && <span className="shrink-0 pr-1 font-mono text-aside text-kelp">{under.code} ›</span>}
            <div className="relative flex-1">
              <ComboboxInput
                ref={input}
                aria-label="Add a diagnosis: words or code"
                placeholder={under ? "Which one?" : "Add a diagnosis: words or code"}
                className="field pr-8"
                autoComplete="off"
                value={query}
                onChange={(e) => {
                  moved.current = false;
                  setQuery(e.target.value);
                }}
                onKeyDown={key}
              />
              <span className="absolute top-1 right-1">
                <KeyCap k="d" />
              </span>
            </div>
          </div>
          {offered.length > 0 && (
            <ul ref={atHand} aria-label="At hand" className="mt-1 max-h-[310px] overflow-auto border border-edge bg-leaf">
              {offered.map((c) => (
                <li key={c.code}>
                  <button
                    type="button"
                    tabIndex={-1}
                    className="block w-full px-2 py-1 text-left hover:bg-kelp-wash focus:bg-kelp-wash"
                    // A press of the mouse must not take the focus away first, and the list with it.
                    onMouseDown={(e) => e.preventDefault()}
                    onClick={() => choose(c)}
                    onKeyDown={step}
                  >
                    <Hit code={c} why={c.why} />
                  </button>
                </li>
              ))}
            </ul>
          )}
        </div>
        <ComboboxOptions
          static
          modal={false}
          onPointerMove={() => {
            moved.current = true;
          }}
          className={hits.length === 0 ? "hidden" : "mt-1 max-h-[310px] overflow-auto border border-edge bg-leaf"}
        >
          {hits.map((c, i) => (
            <ComboboxOption key={c.code} value={c} className="px-2 py-1 data-focus:bg-kelp-wash">
              {({ focus }) => (
                <Hit
                  code={c}
                  why={i === 0 || /^(pinned|formerly|on the)/.test(c.why) ? c.why : ""}
                  focus={focus}
                  onFocus={setActive}
                />
              )}
            </ComboboxOption>
          ))}
        </ComboboxOptions>
      </Combobox>
      {query.trim() !== "" && found.isSuccess && !found.isFetching && hits.length === 0 && (
        <p className="small mt-1">Nothing found. Try fewer or plainer words, or the code itself.</p>
      )}
      {hits.length > 0 && (
        <p className="small mt-1">
          Enter adds or opens a heading, <KeyCap k="Ctrl+Enter" /> adds as first-listed
        </p>
      )}
      <Wrong says={error} className="text-aside" />
    </div>
  );
}

// known says since when a problem is known and how it stands.
function known(p: { onset: string; state: string }) {
  return `${p.onset && ` since ${p.onset}`}${p.state && p.state !== "active" ? `, ${p.state}` : ""}`;
}

// bullets is the number of the bullet that a diagnosis begins.
function bullets(list: Schemas["DiagnosisView"][], i: number) {
  return list.slice(0, i + 1).filter((d) => !d.joined).length;
}

// Describe says of an ongoing problem since when it is known and how it stands.
function Describe({ note, diagnosis, close }: { note: Note; diagnosis: Schemas["DiagnosisView"]; close: () => void }) {
  const client = useQueryClient();
  const [onset, setOnset] = useState(diagnosis.onset);
  const [state, setState] = useState(diagnosis.state);
  const [error, setError] = useState("");
  async function keep() {
    const patient = note.visit.patient.id;
    try {
      await got(
        api.PUT("/api/patients/{id}/problems/{code}", {
          params: { path: { id: patient, code: diagnosis.code } },
          body: { onset, state },
        }),
      );
      close(); // before what changed is read again: the next key is for the page
      void client.invalidateQueries({ queryKey: ["note", note.id] });
      void client.invalidateQueries({ queryKey: ["chart", patient] });
    } catch (e) {
      setError(say(e));
    }
  }
  return (
    <Form
      aria-label="Ongoing problem"
      className="ml-[3.1rem] flex basis-full flex-wrap items-end gap-3 py-1 text-aside"
      act={keep}
      leave={close}
    >
      <label className="label w-36">
        Known since
        <input
          autoFocus
          className="field py-0.5 text-ink"
          placeholder="2019, 2019-05"
          value={onset}
          onChange={(e) => setOnset(e.target.value)}
        />
      </label>
      <label className="label">
        It is
        <select
          className="mt-0.5 block rounded-[3px] border border-edge bg-leaf px-1 py-1 font-normal text-ink"
          value={state}
          onChange={(e) => setState(e.target.value)}
        >
          <option value="">not said</option>
          <option value="active">active</option>
          <option value="recurrence">a recurrence</option>
          <option value="remission">in remission</option>
        </select>
      </label>
      <button type="submit" className="choice py-0.5">
        Keep <KeyCap k="Enter" />
      </button>
      <Wrong says={error} as="span" />
    </Form>
  );
}

function matches(c: Code, query: string) {
  const text = `${c.code} ${c.title}`.toLowerCase();
  return query
    .toLowerCase()
    .split(/\s+/)
    .every((w) => text.includes(w));
}

function Hit({
  code: c,
  why,
  focus = false,
  onFocus,
}: {
  code: Code;
  why: string;
  focus?: boolean;
  onFocus?: (c: Code) => void;
}) {
  useEffect(() => {
    if (focus) onFocus?.(c);
  }, [focus, c, onFocus]);
  return (
    <div className="flex items-baseline gap-3">
      <span className="w-[4.6rem] shrink-0 font-mono text-aside">{/^[A-Z][0-9]/.test(c.code) ? c.code : ""}</span>
      <span className="flex-1">
        {c.title}
        {why && <span className="small"> · {/^(pinned|formerly|on the)/.test(why) ? why : `for “${why}”`}</span>}
      </span>
      {!c.billable && <span className="small shrink-0">opens ›</span>}
    </div>
  );
}
