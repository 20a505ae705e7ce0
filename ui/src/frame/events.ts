// What changes elsewhere shows here without a reload.
import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { thisWindow } from "../exchange/client";

type Event = { kind: string; id: string; patient?: string; window?: string };

/** useEvents follows the server's events and refreshes what they concern. */
export function useEvents() {
  const client = useQueryClient();
  useEffect(() => {
    const source = new EventSource("/api/events");
    let first = true;
    source.addEventListener("open", () => {
      if (!first) void client.invalidateQueries(); // something may have been missed
      first = false;
    });
    source.onmessage = (m) => {
      const e = JSON.parse(m.data) as Event;
      const refresh = (...queryKey: string[]) => void client.invalidateQueries({ queryKey });
      if (e.patient && e.kind !== "note") refresh("chart", e.patient);
      switch (e.kind) {
        case "visit":
          refresh("day");
          refresh("visit", e.id);
          refresh("intake", e.id);
          break;
        case "intake":
          refresh("intake", e.id);
          refresh("measures");
          break;
        case "forms":
          refresh("forms");
          refresh("form");
          refresh("sets");
          refresh("writing-tools");
          break;
        case "note":
          // An act of this window was answered with the note as it is then.
          void client.invalidateQueries({ queryKey: ["note", e.id], refetchType: e.window === thisWindow ? "none" : "active" });
          break;
        case "writing":
          refresh("writing", e.id);
          break;
        case "order":
          refresh("orders");
          refresh("measures");
          refresh("desk");
          break;
        case "report":
          refresh("report", e.id);
          refresh("measures");
          refresh("desk");
          break;
        case "follow-up":
          refresh("follow-ups");
          refresh("desk");
          break;
        case "pins":
          refresh("pins");
          break;
        case "patient":
          refresh("note");
          refresh("measures");
          refresh("letters");
          break;
        default:
          refresh("desk");
      }
    };
    return () => source.close();
  }, [client]);
}
