import { useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useEffect, useLayoutEffect, useRef } from "react";
import { asks } from "../../exchange/asks";
import { api, got } from "../../exchange/client";
import { clock } from "../../frame/time";
import { useMe } from "../../session/me";
import { type Note, useChange, useSaved } from "../useNote";
import { Blocks } from "./Blocks";
import type { Words } from "./completing";
import { PartEditor } from "./PartEditor";
import { useSaver } from "./useSaver";

/** How each part is marked, its key, and what belongs into it. */
export const parts: Record<string, { letter: string; key: string; name: string; hint: string }> = {
  subjective: { letter: "S", key: "1", name: "subjective", hint: "What the patient tells" },
  function: { letter: "F", key: "5", name: "function and daily living", hint: "What the patient can do in daily living" },
  objective: { letter: "O", key: "2", name: "objective", hint: "What is seen, heard and measured" },
  assessment: { letter: "A", key: "3", name: "assessment", hint: "What it means" },
  plan: { letter: "P", key: "4", name: "plan", hint: "What happens next" },
  remarks: { letter: "R", key: "6", name: "closing remark", hint: "Anything else" },
};

type PartView = Note["parts"][number];

/** Part is one part of a draft: what was written from findings and answers, the
 * text to type in, and what was brought in, in the order it will read. */
export function Part({
  note,
  part,
  before,
  after,
  register,
  onStatus,
  focusRef,
  open,
  words,
}: {
  note: Note;
  part: PartView;
  before?: ReactNode;
  after?: ReactNode;
  register: (part: string, flush: () => Promise<number>) => void;
  onStatus: (part: string, s: string) => void;
  focusRef: (focus: () => void, insert: (text: string) => void) => void;
  open: (ref: string) => void;
  words: () => Words;
}) {
  const saver = useSaver(note.id, part, useSaved(note.id));
  const client = useQueryClient();
  const change = useChange(note.id);
  const me = useMe();
  const into = useRef(() => {});
  useLayoutEffect(() => register(part.part, saver.flush), [register, part.part, saver.flush]);
  useEffect(() => onStatus(part.part, saver.status), [part.part, saver.status, onStatus]);
  const p = parts[part.part];
  const source = (id: string) => note.sources.find((s) => s.note === id)?.words ?? "";
  const mine = note.blocks.filter((b) => b.part === part.part && b.ref !== "typed");
  const typedAt = note.blocks.filter(
    (b) => b.part === part.part && (b.ref.startsWith("interview.") || ["vitals", "tests", "given"].includes(b.ref)),
  );
  const rest = mine.filter((b) => !typedAt.includes(b));
  async function decide(text: string) {
    const two = saver.two;
    saver.settle(text);
    const now = await client.fetchQuery({ ...asks.note(note.id), staleTime: 0 });
    for (const c of now.conflicts) {
      const params = { path: { id: note.id, conflict: c.id } };
      // What was refused may have been typed further before the answer came: it is the same text.
      if (two && c.part === part.part && c.by === me.name && two.mine.startsWith(c.text))
        await change.run(() => got(api.POST("/api/notes/{id}/conflicts/{conflict}/settle", { params })));
    }
  }
  return (
    <section aria-label={p?.name} className="mb-3 flex">
      <span
        className="w-9 shrink-0 cursor-text pr-3 text-right font-serif text-letter leading-[30px] font-semibold text-kelp"
        aria-hidden="true"
        onClick={() => into.current()}
      >
        {p?.letter}
      </span>
      <div className="min-w-0 flex-1 border-l-2 border-kelp-wash pl-3.5">
        {before}
        <Blocks blocks={typedAt} open={open} source={source} />
        {saver.two ? (
          <div className="grid grid-cols-2 gap-4 border border-carried p-3 max-phone:grid-cols-1">
            <p className="col-span-full text-aside font-semibold text-carried">
              {saver.two.now.savedBy} saved this part while you were writing. Both texts are kept; choose what the note says.
            </p>
            <div>
              <p className="label">
                Saved by {saver.two.now.savedBy}, {clock(saver.two.now.savedAt)}
              </p>
              <p className="mb-2 font-serif text-title-s whitespace-pre-wrap">{saver.two.now.text}</p>
              <button type="button" className="choice" onClick={() => decide(saver.two?.now.text ?? "")}>
                Keep this
              </button>
            </div>
            <div>
              <p className="label">Yours</p>
              <p className="mb-2 font-serif text-title-s whitespace-pre-wrap">{saver.two.mine}</p>
              <button type="button" className="choice" onClick={() => decide(saver.two?.mine ?? "")}>
                Use yours
              </button>
              <button type="button" className="plain ml-3" onClick={() => decide(`${saver.two?.now.text}\n${saver.two?.mine}`)}>
                Both, one after the other
              </button>
            </div>
          </div>
        ) : (
          <PartEditor
            shown={saver.shown}
            label={p?.name ?? part.part}
            placeholder={mine.length > 0 ? "" : (p?.hint ?? "")}
            onType={saver.type}
            focusRef={(focus, insert) => {
              into.current = focus;
              focusRef(focus, insert);
            }}
            words={words}
          />
        )}
        <Blocks blocks={rest} open={open} source={source} />
        {after}
      </div>
    </section>
  );
}
