// The next patient of one's own day, after this one.

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { asks } from "../../exchange/asks";
import { api, got } from "../../exchange/client";
import type { Note } from "../useNote";

/** useNext names the next visit of one's own that is not done, and opens it; without
 * one, it leads back to Today. */
export function useNext(note: Note) {
  const client = useQueryClient();
  const go = useNavigate();
  const today = useQuery(asks.day());
  const next = today.data?.find((v) => v.mine && v.stage !== "done" && v.id !== note.visit.id);
  async function open() {
    if (!next) return go("/");
    await got(api.POST("/api/visits/{id}/start", { params: { path: { id: next.id } } }));
    await client.invalidateQueries({ queryKey: ["visit", next.id] });
    go(`/patients/${next.patient.id}/visits/${next.id}`);
  }
  return { next, open };
}
