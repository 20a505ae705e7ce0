import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../exchange/client";
import { KeyCap, useKeys } from "../../frame/keys";
import type { Note, useChange } from "../useNote";

type Sentence = { part: string; label: string; piece: Schemas["Piece"] };

/** unlooked lists what was carried and nobody looked at, in reading order. */
export function unlooked(note: Note): Sentence[] {
  return note.blocks.flatMap((b) =>
    b.pieces.filter((p) => p.origin === "carried" && !p.looked).map((piece) => ({ part: b.part, label: b.label, piece })),
  );
}

/** Carried goes through what was carried, one sentence after another. */
export function Carried({ note, act }: { note: Note; act: ReturnType<typeof useChange> }) {
  const list = unlooked(note);
  const [changing, setChanging] = useState<string | null>(null);
  const first = list[0];
  const source = note.sources.find((s) => s.note === first?.piece.source);
  const subjective = list.filter((s) => s.part === "subjective");
  const decide = (decision: "keep" | "remove") => first && void act.looked([first.piece.ref], decision);
  const words = first?.piece.ref.startsWith("brought.");
  useKeys(
    first
      ? [
          { key: "y", label: "The carried sentence is still true", run: () => decide("keep") },
          { key: "z", label: "Remove the carried sentence", run: () => decide("remove") },
          ...(words ? [{ key: "c", label: "Change the carried sentence", run: () => setChanging(first.piece.text) }] : []),
        ]
      : [],
  );
  if (!first) return null;
  return (
    <div className="margin-note mb-5 border-carried">
      <span className="block font-semibold">
        Carried, not looked at: {list.length} {list.length === 1 ? "sentence" : "sentences"}
      </span>
      <p className="my-1 font-serif text-read text-carried underline decoration-dotted decoration-2 underline-offset-4">
        {first.label && `${first.label}: `}
        {first.piece.text}
      </p>
      <p className="text-faded">
        {first.part}, from {source?.words ?? "an earlier visit"}. Supports no code until looked at.
      </p>
      {changing !== null ? (
        <textarea
          autoFocus
          aria-label="The sentence as it should read"
          rows={3}
          className="box my-1 font-serif text-read"
          value={changing}
          onChange={(e) => setChanging(e.target.value)}
          onKeyDown={(e) => {
            if (e.key === "Enter" && !e.shiftKey) {
              e.preventDefault();
              e.stopPropagation();
              void act.looked([first.piece.ref], "change", changing).then((ok) => ok && setChanging(null));
            } else if (e.key === "Escape") {
              e.stopPropagation();
              setChanging(null);
            }
          }}
        />
      ) : (
        <div className="flex flex-wrap gap-x-3">
          <button type="button" className="plain" onClick={() => decide("keep")}>
            Still true <KeyCap k="y" />
          </button>
          {words && (
            <button type="button" className="plain" onClick={() => setChanging(first.piece.text)}>
              Change <KeyCap k="c" />
            </button>
          )}
          <button type="button" className="plain" onClick={() => decide("remove")}>
            Remove <KeyCap k="z" />
          </button>
          {source && <ShowVisit to={`/patients/${note.visit.patient.id}/visits/${source.visitId}`} />}
          {first.part === "subjective" && subjective.length > 1 && (
            <button
              type="button"
              className="plain"
              onClick={() =>
                void act.looked(
                  subjective.map((s) => s.piece.ref),
                  "keep",
                )
              }
            >
              All {subjective.length} under subjective still true
            </button>
          )}
        </div>
      )}
    </div>
  );
}

function ShowVisit({ to }: { to: string }) {
  useKeys([{ key: "s", label: "Show the visit it came from", run: () => document.getElementById("source-visit")?.click() }]);
  return (
    <Link id="source-visit" className="plain" to={to}>
      Show visit <KeyCap k="s" />
    </Link>
  );
}
