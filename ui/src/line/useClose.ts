import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { say } from "../exchange/client";

/** useClose closes a line of the desk and goes on to the next one; what is wrong is told and nothing is left. */
export function useClose(next: string, patient?: string) {
  const client = useQueryClient();
  const go = useNavigate();
  const [error, setError] = useState("");
  const close = async (call: () => Promise<unknown>, given: () => void) => {
    try {
      await call();
      given();
      void client.invalidateQueries({ queryKey: ["desk"] });
      if (patient) void client.invalidateQueries({ queryKey: ["chart", patient] });
      go(next);
    } catch (e) {
      setError(say(e));
    }
  };
  return { close, error };
}
