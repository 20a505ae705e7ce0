import { keepPreviousData, useInfiniteQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import { asks } from "../../exchange/asks";
import { api, got, type Schemas, say } from "../../exchange/client";
import { KeyCap, useKeys } from "../../frame/keys";
import { day } from "../../frame/time";
import { Choice } from "../../kit/Choice";
import { More } from "../../kit/More";
import { Panel } from "../../kit/Panel";
import { Wrong } from "../../kit/Wrong";
import type { Note, useChange } from "../useNote";

type Group = Schemas["BesideGroup"];
type Line = Schemas["BesideLine"];

const kinds: Record<Group["kind"], string> = {
  note: "Earlier notes",
  result: "Results",
  history: "Histories",
  document: "Documents",
};

/** Beside opens earlier notes, results, histories and documents next to the note.
 * Typing filters; lines are chosen and brought in with the keyboard. */
export function Beside({ note, act, close }: { note: Note; act: ReturnType<typeof useChange>; close: () => void }) {
  const [text, setText] = useState("");
  const [kind, setKind] = useState<Group["kind"] | "">("");
  const pages = useInfiniteQuery({ ...asks.beside(note.id, text.trim(), kind), placeholderData: keepPreviousData });
  const [at, setAt] = useState(0);
  const [done, setDone] = useState<string[]>([]);
  const [preview, setPreview] = useState<{ group: Group; part: string; replace: boolean; diff: Schemas["Difference"] } | null>(
    null,
  );
  const input = useRef<HTMLInputElement>(null);
  useEffect(() => input.current?.focus(), []);
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const fits = (g: Group, l: Line) => {
    const t = `${l.text} ${l.head} ${g.title}`.toLowerCase();
    return words.every((w) => t.includes(w));
  };
  // What is shown has the words in the field, also while the server still looks for them.
  const shown = (pages.data?.pages ?? [])
    .flatMap((p) => p.groups)
    .filter((g) => !kind || g.kind === kind)
    .map((g) => ({ ...g, lines: g.lines.filter((l) => fits(g, l)) }))
    .filter((g) => g.lines.length > 0 || (g.kind === "document" && words.every((w) => g.title.toLowerCase().includes(w))));
  const lines = shown.flatMap((g) => g.lines);
  const counts = pages.data?.pages[0]?.counts ?? [];
  const here = lines[Math.min(at, lines.length - 1)];
  const list = useRef<HTMLDivElement>(null);
  useEffect(() => {
    list.current?.querySelector(`[data-line="${CSS.escape(here?.id ?? "")}"]`)?.scrollIntoView({ block: "nearest" });
  }, [here?.id]);
  async function bring(ids: string[]) {
    if (ids.length > 0 && (await act.bring(ids))) setDone([...done, ...ids]);
  }
  async function look(group: Group, part: string, replace: boolean) {
    try {
      const out = await got(
        api.POST("/api/notes/{id}/forward/preview", {
          params: { path: { id: note.id } },
          body: { from: group.id, part: part as "plan", replace },
        }),
      );
      setPreview({ group, part, replace, diff: out.difference });
    } catch (e) {
      act.setError(say(e));
    }
  }
  async function forward() {
    if (!preview) return;
    const { group, part, replace } = preview;
    const ok = await act.run(() =>
      got(
        api.POST("/api/notes/{id}/forward", {
          params: { path: { id: note.id } },
          body: { from: group.id, part: part as "plan", replace },
        }),
      ).then((f) => f.note as Note),
    );
    if (ok) setPreview(null);
  }
  useKeys([
    {
      key: "Escape",
      label: preview ? "Back to the list" : "Close what is beside",
      run: () => (preview ? setPreview(null) : close()),
    },
    ...(preview ? [{ key: "Ctrl+Enter", label: "Bring it forward so", run: () => void forward() }] : []),
  ]);
  return (
    <Panel label="Beside the note" title="Beside the note" leave={close} word="Close" wide column>
      <input
        ref={input}
        aria-label="Filter what is beside the note"
        placeholder="Words: urate, knee, plan"
        className="field mt-1"
        value={text}
        onChange={(e) => {
          setText(e.target.value);
          setAt(0);
        }}
        onKeyDown={(e) => {
          let took = true;
          if (e.key === "ArrowDown") {
            setAt(Math.min(lines.length - 1, at + 1));
            if (at + 1 >= lines.length - 1 && pages.hasNextPage) void pages.fetchNextPage();
          } else if (e.key === "ArrowUp") setAt(Math.max(0, at - 1));
          else if (e.key === "Enter" && !e.ctrlKey && here) void bring([here.id]);
          else if (e.key === "Escape") preview ? setPreview(null) : close();
          else took = false;
          if (took) {
            e.preventDefault();
            e.stopPropagation();
          }
        }}
      />
      <fieldset className="my-2 flex flex-wrap gap-1.5" aria-label="Kinds">
        {(Object.keys(kinds) as Group["kind"][]).map((k) => (
          <Choice key={k} on={kind === k} set={() => setKind(kind === k ? "" : k)}>
            {kinds[k]} {k !== "history" && <span className="text-faded">{counts.find((c) => c.kind === k)?.count}</span>}
          </Choice>
        ))}
      </fieldset>
      {act.error && <Wrong says={act.error} className="text-aside" />}
      {preview && <Preview preview={preview} forward={forward} close={() => setPreview(null)} />}
      <div ref={list} className="min-h-0 flex-1 overflow-auto pb-4 text-aside">
        {pages.isSuccess && !pages.isPlaceholderData && shown.length === 0 && (
          <p className="small">
            {words.length > 0
              ? "Nothing has these words."
              : "Earlier notes, results and histories of this chart appear here once there are any."}
          </p>
        )}
        {shown.map((g) => (
          <section key={g.kind + g.id} className="mb-3" aria-label={g.title}>
            <h3 className="flex items-baseline gap-2 border-b border-rule pb-0.5 font-sans text-aside font-semibold">
              <span className="flex-1">
                {g.at && <span className="text-faded">{day(g.at)} · </span>}
                {g.title}
              </span>
              {g.link.startsWith("/api/") ? (
                <a className="plain py-0" href={g.link} target="_blank" rel="noreferrer">
                  Open
                </a>
              ) : (
                g.link && (
                  <Link className="plain py-0" to={g.link}>
                    Open
                  </Link>
                )
              )}
            </h3>
            {g.lines.map((l, i) => (
              <div key={l.id}>
                {g.kind === "note" && (i === 0 || g.lines[i - 1]?.part !== l.part) && (
                  <p className="mt-1 flex items-baseline gap-1.5 text-faded">
                    <span className="label flex-1">{l.part[0]?.toUpperCase() + l.part.slice(1)}</span>
                    <button type="button" className="plain py-0 text-small" onClick={() => void look(g, l.part, false)}>
                      Add all
                    </button>
                    <button type="button" className="plain py-0 text-small" onClick={() => void look(g, l.part, true)}>
                      Replace
                    </button>
                  </p>
                )}
                <button
                  type="button"
                  data-line={l.id}
                  className={`block w-full px-1.5 py-0.5 text-left ${l.id === here?.id ? "bg-kelp-wash" : ""} ${done.includes(l.id) ? "text-faded" : ""}`}
                  onClick={() => {
                    setAt(lines.indexOf(l));
                    void bring([l.id]);
                  }}
                >
                  {g.kind === "note" && l.head !== "" && l.head.toLowerCase() !== l.part && (
                    <span className="font-semibold">{l.head}: </span>
                  )}
                  {l.text}
                  {done.includes(l.id) && " · brought in"}
                </button>
              </div>
            ))}
          </section>
        ))}
        <More of={pages} word="Further back" />
      </div>
      <p className="small border-t border-rule py-2">
        <KeyCap k="ArrowDown" /> <KeyCap k="Enter" /> brings the line in with its source; from an earlier note it stays dotted
        until looked at.
      </p>
    </Panel>
  );
}

function Preview({
  preview,
  forward,
  close,
}: {
  preview: { group: Group; part: string; replace: boolean; diff: Schemas["Difference"] };
  forward: () => Promise<void>;
  close: () => void;
}) {
  const { diff } = preview;
  return (
    <section aria-label="What would change" className="mb-2 border border-edge bg-leaf p-2.5 text-aside">
      <h3 className="font-sans font-semibold">
        {preview.replace ? "Replace" : "Add to"} the {preview.part} with that of {day(preview.group.at)}
      </h3>
      {diff.add.map((t) => (
        <p key={t} className="border-l-[3px] border-settled pl-2">
          <span className="text-settled">comes in</span> {t}
        </p>
      ))}
      {diff.remove.map((t) => (
        <p key={t} className="border-l-[3px] border-carried pl-2">
          <span className="text-carried">goes out, kept beside</span> {t}
        </p>
      ))}
      {diff.already.length > 0 && <p className="text-faded">{diff.already.length} already there</p>}
      {diff.add.length + diff.remove.length === 0 && <p>Nothing would change.</p>}
      <div className="mt-2 flex gap-3">
        <button type="button" className="act py-1" onClick={() => void forward()}>
          {preview.replace ? "Replace" : "Add"} <KeyCap k="Ctrl+Enter" />
        </button>
        <button type="button" className="plain" onClick={close}>
          Not so <KeyCap k="Escape" />
        </button>
      </div>
    </section>
  );
}
