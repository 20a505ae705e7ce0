import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { api, got } from "../../exchange/client";
import { useLatest } from "../../frame/latest";

/** useWriters says who else has this note open for writing; they are told of us. */
export function useWriters(noteId: string) {
  const window_ = useRef(crypto.randomUUID());
  const call = (leave: boolean) =>
    got(
      api.POST("/api/notes/{id}/writing", {
        params: { path: { id: noteId } },
        body: { window: window_.current, leave },
        headers: { "X-Refresh": "1" },
        keepalive: leave,
      }),
    );
  const others = useQuery({
    queryKey: ["writing", noteId],
    queryFn: () => call(false),
    refetchInterval: 10_000,
    staleTime: 0,
    retry: false,
  });
  const leave = useLatest(call);
  useEffect(() => {
    const go = () => void leave.current(true).catch(() => {});
    window.addEventListener("pagehide", go);
    return () => {
      window.removeEventListener("pagehide", go);
      go();
    };
  }, [leave]);
  return others.data ?? [];
}
