// Acts: what the screens have the server do.
import { useMutation } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import { say } from "./client";

/** useAct has acts of one scope done one after another, whoever began them, each made on what
 * the one before left, and keeps what went wrong with the last. */
export function useAct(scope: string) {
  const [error, setError] = useState("");
  const { mutateAsync } = useMutation({
    scope: { id: scope },
    networkMode: "always", // the server may be on this machine
    gcTime: 0,
    mutationFn: (f: () => Promise<unknown>) => f(),
  });
  const act = useCallback(
    async <T>(f: () => Promise<T>): Promise<T | null> => {
      try {
        const done = (await mutateAsync(f)) as T;
        setError("");
        return done;
      } catch (e) {
        setError(say(e));
        return null;
      }
    },
    [mutateAsync],
  );
  return { act, error, setError };
}
