import type { Schemas } from "../../exchange/client";
import { useLeftWords } from "../../frame/left";
import type { Item } from "../../order/pad";
import type { Note } from "../useNote";
import type { Sheet } from "./Drawing";

/** saidWords are the words said of a diagnosis, on one line. */
export const saidWords = (s: Schemas["DiagnosisView"]["said"]) =>
  [s.response, s.because, s.complicated, s.remark].filter((w) => w !== "").join(", ");

const names = (list: Item[]) => list.map((i) => i.test.name).join(", ");
const captions = (s: Sheet) => (s.strokes.length > 0 ? s.caption || "without a caption" : "");

/** useLeftOf is what was typed, drawn or chosen beside a note and never given, as points of
 * the closing list: it is not in what is signed. `drawing` is the one of the note that was
 * being changed; empty for a new one. */
export function useLeftOf(note: Note) {
  const typed = "Typed and not entered";
  const left = [
    ["questions", typed, useLeftWords(`question ${note.id} `)],
    ["review.", typed, useLeftWords(`line ${note.id} review`)],
    ["examination.", typed, useLeftWords(`line ${note.id} examination`)],
    ["saying", typed, useLeftWords(`saying ${note.id} `, saidWords)],
    ["drawing", "Drawn and not kept", useLeftWords(`drawing ${note.id} `, captions)],
    ["order", "Begun as an order and not sent", useLeftWords(`order ${note.visit.patient.id} ${note.visit.id} `, names)],
    [
      "prescribe",
      "Begun as a prescription and not sent",
      useLeftWords<{ line: string }>(`prescription ${note.visit.patient.id} ${note.visit.id}`, (d) => d.line),
    ],
    [
      "refer",
      "Begun as a referral and not sent",
      useLeftWords<{ question: string }>(`referral ${note.visit.patient.id} ${note.visit.id}`, (d) => d.question),
    ],
  ] as const;
  const drawn = useLeftWords<Sheet>(`drawing ${note.id} `, (s) => s.id);
  const points: Schemas["Point"][] = left
    .filter(([, , words]) => words !== "")
    .map(([ref, says, words]) => ({
      kind: "left",
      part: "",
      ref,
      says: `${says}: “${words}”`,
      why: "not in the note",
      stops: false,
      does: "",
    }));
  return { points, drawing: note.drawings.find((d) => drawn.includes(d.id))?.id ?? "" };
}
