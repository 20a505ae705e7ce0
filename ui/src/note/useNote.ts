// Changes of a draft: each is sent, and is answered with the note as it is then.
import { type QueryClient, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import { useAct } from "../exchange/act";
import { asks } from "../exchange/asks";
import { api, got, type Schemas } from "../exchange/client";
import { useMe } from "../session/me";

export type Note = Schemas["NoteView"];
export type Change = Schemas["FindingChange"];
export type Finding = Schemas["Finding"];
type Answer = Schemas["Answer"];

/** show shows the note that an act was answered with. What was asked meanwhile may be older,
 * or newer: then it is asked again. */
export function show(client: QueryClient, note: Note) {
  const { queryKey } = asks.note(note.id);
  const meanwhile = client.isFetching({ queryKey }) > 0;
  client.setQueryData(queryKey, note);
  if (meanwhile) void client.invalidateQueries({ queryKey });
}

const rest = 900; // ms without a save after which a note is read again
const reading = new Map<string, number>();

/** useSaved shows what this window saved of a part. How the note reads then, and what codes its
 * text supports, is asked when the typing rests. */
export function useSaved(noteId: string) {
  const client = useQueryClient();
  return useCallback(
    (part: Note["parts"][number]) => {
      const { queryKey } = asks.note(noteId);
      client.setQueryData(queryKey, (n) => n && { ...n, parts: n.parts.map((p) => (p.part === part.part ? part : p)) });
      window.clearTimeout(reading.get(noteId));
      reading.set(
        noteId,
        window.setTimeout(() => void client.invalidateQueries({ queryKey }), rest),
      );
    },
    [client, noteId],
  );
}

/** useChange has changes of a note done one after another and shows what came of them. */
export function useChange(noteId: string) {
  const client = useQueryClient();
  const { zone } = useMe();
  const { act, error, setError } = useAct(`note ${noteId}`);
  const [saved, setSaved] = useState("");
  const run = useCallback(
    async (call: (now: Note) => Promise<Note>) => {
      const { queryKey } = asks.note(noteId);
      const done = await act(async () => {
        const next = await call(client.getQueryData(queryKey) as Note);
        show(client, next);
        return next;
      });
      if (done) setSaved(`Saved ${new Date().toLocaleTimeString("en-GB", { timeZone: zone })}`);
      else void client.invalidateQueries({ queryKey });
      return done;
    },
    [act, client, noteId, zone],
  );
  const params = { path: { id: noteId } };
  return {
    error,
    setError,
    saved,
    run,
    /** findings makes changes; one that names a finding is made on its present version. */
    findings: (changes: Change[]) =>
      run((now) => {
        const was = (c: Change) =>
          now.findings.find((f) => f.area === c.area && f.system === c.system && f.finding === c.finding)?.version ?? 0;
        const body = { changes: changes.map((c) => ({ ...c, was: c.finding && c.was === undefined ? was(c) : (c.was ?? -1) })) };
        return got(api.POST("/api/notes/{id}/findings", { params, body }));
      }),
    looked: (refs: string[], decision: "keep" | "change" | "remove", text?: string) =>
      run(() => got(api.POST("/api/notes/{id}/looked", { params, body: { refs, decision, text } }))),
    /** answer answers a question; values are made from those it has then. */
    answer: (interview: string, link: string, values: (now: Answer[]) => Answer[]) =>
      run((now) => {
        const q = now.interviews.find((i) => i.id === interview)?.questions.find((q) => q.link === link);
        const body = { interview, link, values: values(q?.values ?? []), was: q?.symptom ? 0 : (q?.version ?? 0) };
        return got(api.POST("/api/notes/{id}/answers", { params, body }));
      }),
    ask: (interview: string, drop: boolean) =>
      run(() => got(api.POST("/api/notes/{id}/interviews", { params, body: { interview, drop } }))),
    bring: (lines: string[]) => run(() => got(api.POST("/api/notes/{id}/bring", { params, body: { lines } }))),
    /** diagnoses changes the list of diagnoses as it is then. */
    diagnoses: (change: (codes: string[]) => string[]) =>
      run((now) => {
        const body = { codes: change(now.diagnoses.map((d) => d.code)), version: now.listVersion };
        return got(api.PUT("/api/notes/{id}/diagnoses", { params, body }));
      }),
  };
}

/** Act runs changes of a note. */
export type Act = ReturnType<typeof useChange>;

/** useTools are snippets, own words, body systems and interviews, read once. */
export function useTools() {
  return useQuery(asks.writingTools());
}

/** The systems of an area, by id. */
export function systemsOf(tools: Schemas["WritingView"] | undefined, area: string) {
  return (area === "review" ? tools?.systems.review : tools?.systems.examination) ?? [];
}
