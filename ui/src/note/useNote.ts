// Changes of a draft: each is sent, and the note comes back as it is then.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import { api, got, type Schemas, say } from "../exchange/client";

export type Note = Schemas["NoteView"];
export type Change = Schemas["FindingChange"];
export type Finding = Schemas["Finding"];

/** useChange runs changes of a note one after another and shows what came of them. */
export function useChange(noteId: string) {
  const client = useQueryClient();
  const [error, setError] = useState("");
  const run = useCallback(
    async (call: Promise<Note>) => {
      try {
        const now = await call;
        client.setQueryData(["note", noteId], now);
        setError("");
        return now;
      } catch (e) {
        setError(say(e));
        void client.invalidateQueries({ queryKey: ["note", noteId] });
        return null;
      }
    },
    [client, noteId],
  );
  const path = { path: { id: noteId } };
  return {
    error,
    setError,
    run,
    findings: (changes: Change[]) => run(got(api.POST("/api/notes/{id}/findings", { params: path, body: { changes } }))),
    looked: (refs: string[], decision: "keep" | "change" | "remove", text?: string) =>
      run(got(api.POST("/api/notes/{id}/looked", { params: path, body: { refs, decision, text } }))),
    answer: (interview: string, link: string, values: Schemas["Answer"][], was: number) =>
      run(got(api.POST("/api/notes/{id}/answers", { params: path, body: { interview, link, values, was } }))),
    ask: (interview: string, drop: boolean) =>
      run(got(api.POST("/api/notes/{id}/interviews", { params: path, body: { interview, drop } }))),
    bring: (lines: string[]) => run(got(api.POST("/api/notes/{id}/bring", { params: path, body: { lines } }))),
  };
}

/** useTools are snippets, own words, body systems and interviews, read once. */
export function useTools() {
  return useQuery({
    queryKey: ["writing-tools"],
    queryFn: () => got(api.GET("/api/writing")),
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** The systems of an area, by id. */
export function systemsOf(tools: Schemas["WritingView"] | undefined, area: string) {
  return (area === "review" ? tools?.systems.review : tools?.systems.examination) ?? [];
}
