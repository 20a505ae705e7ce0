// The intake page of a visit, and its changes.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useRef, useState } from "react";
import { api, got, type Schemas, say } from "../exchange/client";

export type IntakeView = Schemas["IntakeView"];

/** useIntake reads the intake of a visit and runs its changes. */
export function useIntake(visit: string) {
  const client = useQueryClient();
  const key = ["intake", visit];
  const intake = useQuery({
    queryKey: key,
    queryFn: () => got(api.GET("/api/visits/{id}/intake", { params: { path: { id: visit } } })),
  });
  const [error, setError] = useState("");
  const run = useCallback(
    async (call: Promise<IntakeView>) => {
      try {
        client.setQueryData(["intake", visit], await call);
        setError("");
        return true;
      } catch (e) {
        setError(say(e));
        return false;
      }
    },
    [client, visit],
  );
  const path = { path: { id: visit } };
  const queue = useRef<Promise<unknown>>(Promise.resolve());
  const unsettled = useRef(new Set<string>());
  return {
    /** inTurn runs changes one after another, so that none overtakes another. */
    inTurn: (f: () => Promise<void>) => {
      queue.current = queue.current.then(f);
      return queue.current;
    },
    /** settled waits for what is under way and names what still asks for an answer. */
    settled: async () => {
      await queue.current;
      return [...unsettled.current];
    },
    unsettled: unsettled.current,
    intake,
    error,
    setError,
    run,
    set: (v: IntakeView) => client.setQueryData(key, v),
    add: (body: Schemas["NewEntry"]) => run(got(api.POST("/api/visits/{id}/entries", { params: path, body }))),
    end: (list: string, id: string, reason: string) =>
      run(got(api.POST("/api/visits/{id}/entries/end", { params: path, body: { list, id, reason } }))),
    state: (lists: string[], says: "reviewed" | "none known") =>
      run(got(api.POST("/api/visits/{id}/statements", { params: path, body: { lists, says } }))),
    decide: (ids: string[], decision: "take in" | "leave out" | "join") =>
      run(got(api.POST("/api/visits/{id}/decide", { params: path, body: { ids, decision } }))),
  };
}

export type Acts = ReturnType<typeof useIntake>;
