// The intake page of a visit, and its changes.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useAct } from "../exchange/act";
import { asks } from "../exchange/asks";
import { api, got, type Schemas } from "../exchange/client";

export type IntakeView = Schemas["IntakeView"];

/** useIntake reads the intake of a visit and runs its changes. */
export function useIntake(visit: string) {
  const client = useQueryClient();
  const asked = asks.intake(visit);
  const intake = useQuery(asked);
  const { act, error, setError } = useAct(`intake ${visit}`);
  const set = (v: IntakeView) => client.setQueryData(asked.queryKey, v);
  const run = async (call: () => Promise<IntakeView>) => (await act(async () => set(await call()))) !== null;
  const path = { path: { id: visit } };
  const [unsettled] = useState(() => new Set<string>());
  return {
    /** inTurn has something done after what was begun before it. */
    inTurn: (f: () => Promise<void>) => act(f),
    /** settled waits for what is under way and names what still asks for an answer. */
    settled: async () => {
      await act(async () => {}); // its turn comes after theirs
      return [...unsettled];
    },
    unsettled,
    intake,
    error,
    setError,
    run,
    set,
    add: (body: Schemas["NewEntry"]) => run(() => got(api.POST("/api/visits/{id}/entries", { params: path, body }))),
    end: (list: string, id: string, reason: string) =>
      run(() => got(api.POST("/api/visits/{id}/entries/end", { params: path, body: { list, id, reason } }))),
    told: (id: string, says: Schemas["Told-of-medicineRequest"]["says"], detail: string) =>
      run(() => got(api.POST("/api/visits/{id}/medicines/told", { params: path, body: { id, says, detail } }))),
    tolerated: (id: string, what: string) =>
      run(() => got(api.POST("/api/visits/{id}/allergies/tolerated", { params: path, body: { id, what, day: "" } }))),
    state: (lists: string[], says: "reviewed" | "none known") =>
      run(() => got(api.POST("/api/visits/{id}/statements", { params: path, body: { lists, says } }))),
    decide: (ids: string[], decision: "take in" | "leave out" | "join") =>
      run(() => got(api.POST("/api/visits/{id}/decide", { params: path, body: { ids, decision } }))),
  };
}

export type Acts = ReturnType<typeof useIntake>;
