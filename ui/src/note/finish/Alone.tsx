import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, say } from "../../exchange/client";
import { useRight } from "../../session/me";
import { Fax } from "../../sign/Fax";
import { useSigning } from "../../sign/useSigning";
import type { Note } from "../useNote";

/** heading is how each part is called in the note. */
export const heading: Record<string, string> = {
  subjective: "Subjective",
  function: "Function and daily living",
  objective: "Objective",
  assessment: "Assessment",
  plan: "Plan",
  remarks: "Closing remark",
};

/** Alone prints, files or faxes one section as a document of its own: of a signed note
 * under its signature, of a draft as it reads now, signed by itself if wanted. */
export function Alone({ note, section, close }: { note: Note; section: string; close: () => void }) {
  const maySign = useRight("sign a note") && !note.sealed;
  const { sign, dialog, busy } = useSigning();
  const [said, setSaid] = useState("");
  const [doc, setDoc] = useState("");
  const client = useQueryClient();
  async function file() {
    try {
      const d =
        doc || (await got(api.POST("/api/notes/{id}/documents", { params: { path: { id: note.id } }, body: { section } }))).id;
      setDoc(d);
      setSaid("Filed as a document in this chart.");
      await client.invalidateQueries({ queryKey: ["chart", note.visit.patient.id] });
      return d;
    } catch (e) {
      setSaid(say(e));
      return "";
    }
  }
  const signed = () =>
    void sign({
      title: `Sign the ${section.toLowerCase()} by itself`,
      lines: [`${note.visit.patient.given} ${note.visit.patient.family}`, "The note itself stays open."],
      act: async (secret) => {
        const body = { section, sign: true, secret, seen: note.reads };
        const d = await got(api.POST("/api/notes/{id}/documents", { params: { path: { id: note.id } }, body }));
        setDoc(d.id);
        setSaid(`Signed and filed as a document in this chart, folio ${d.folio}.`);
      },
      done: () => void client.invalidateQueries({ queryKey: ["chart", note.visit.patient.id] }),
      failed: (e) => setSaid(say(e)),
    });
  return (
    <section aria-label={`${section} alone`} className="mb-4 border border-edge p-3 text-aside">
      <h3 className="font-sans font-semibold">{section}, as a document of its own</h3>
      <div className="mt-1 flex flex-wrap items-baseline gap-3">
        <a
          className="choice"
          href={`/api/notes/${note.id}/pdf?section=${encodeURIComponent(section)}`}
          target="_blank"
          rel="noreferrer"
        >
          Print as PDF
        </a>
        <button type="button" className="choice" onClick={() => void file()}>
          {note.sealed ? "File as document" : "File unsigned"}
        </button>
        {maySign && (
          <button type="button" className="choice" disabled={busy} onClick={signed}>
            Sign and file
          </button>
        )}
        <Fax document={doc} file={file} />
        <button type="button" className="plain" onClick={close}>
          Done
        </button>
      </div>
      <p role="status" className="mt-1">
        {said}
      </p>
      {dialog}
    </section>
  );
}
