import type { ReactNode } from "react";
import { api, got } from "../exchange/client";
import { clock, day } from "../frame/time";
import { type Note, useChange } from "./useNote";

/** Title names the visit at the head of its note. */
export function Title({ note, children }: { note: Note; children: ReactNode }) {
  const v = note.visit;
  return (
    <div className="mb-3 flex items-baseline gap-3 border-b border-rule pb-2.5">
      <h2 className="text-title-l">{v.kind}</h2>
      <span className="small flex-1">
        {day(v.startsAt)}, {clock(v.startsAt)}
        {v.room && ` · room ${v.room}`} · {v.reason}
      </span>
      <span className="small" role="status">
        {children}
      </span>
    </div>
  );
}

/** Kept shows texts that are not in the note but were not thrown away, in full. */
export function Kept({ note }: { note: Note }) {
  const change = useChange(note.id);
  const settle = (conflict: string) =>
    change.run(() =>
      got(api.POST("/api/notes/{id}/conflicts/{conflict}/settle", { params: { path: { id: note.id, conflict } } })),
    );
  return (
    <>
      {note.conflicts?.map((c) => (
        <div key={c.id} className="margin-note mb-5 border-carried">
          <span className="block font-semibold">
            Kept, not in the note: {c.part}, {c.by}, {clock(c.at)}
          </span>
          <p className="font-serif text-read whitespace-pre-wrap">{c.text}</p>
          <button type="button" className="plain" onClick={() => settle(c.id)}>
            Done with it
          </button>
        </div>
      ))}
    </>
  );
}
