// What changes elsewhere shows here without a reload.
import { type QueryClient, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { type Schemas, thisWindow } from "../exchange/client";
import { makeOld } from "../exchange/old";

type Event = Schemas["Event"];
type Refresh = (...queryKey: string[]) => void;

/** What each kind of event makes old. A kind that is missing here does not compile. */
const makesOld: Record<Event["kind"], (e: Event, refresh: Refresh, client: QueryClient) => void> = {
  visit: (e, refresh) => {
    refresh("day");
    refresh("visit", e.id);
    refresh("intake", e.id);
  },
  intake: (e, refresh) => {
    if (e.patient) refresh("reminders", e.patient);
    refresh("intake", e.id);
    refresh("measures");
  },
  // An act of this window was answered with the note as it is then.
  note: (e, refresh, client) =>
    e.window === thisWindow
      ? void client.invalidateQueries({ queryKey: ["note", e.id], refetchType: "none" })
      : refresh("note", e.id),
  writing: (e, refresh) => refresh("writing", e.id),
  order: (e, refresh) => {
    refresh("orders");
    if (e.patient) refresh("reminders", e.patient);
    if (e.patient) refresh("referrals", e.patient);
    if (e.patient) refresh("prescriptions", e.patient);
    refresh("specimens");
    refresh("repeated");
    refresh("measures");
    refresh("desk");
  },
  report: (e, refresh) => {
    if (e.patient) refresh("reminders", e.patient);
    if (e.patient) refresh("across", e.patient);
    refresh("report", e.id);
    refresh("measures");
    refresh("desk");
  },
  line: (_, refresh) => {
    refresh("desk");
    refresh("openings");
  },
  "follow-up": (_, refresh) => {
    refresh("follow-ups");
    refresh("desk");
  },
  patient: (e, refresh) => {
    refresh("reminders", e.id);
    refresh("registration", e.id);
    refresh("sharing", e.id);
    refresh("records", e.id);
    refresh("day"); // who comes may have another name
    refresh("note");
    refresh("measures");
    refresh("letters");
  },
  merge: (_, refresh) => refresh("desk"),
  forms: (_, refresh) => {
    refresh("forms");
    refresh("form");
    refresh("sets");
    refresh("writing-tools");
  },
  pins: (_, refresh) => refresh("pins"),
  critical: (_, refresh) => {
    refresh("critical");
    refresh("desk");
    refresh("report");
  },
  circle: (_, refresh) => {
    refresh("circle");
    refresh("chart");
  },
};

/** useEvents follows the server's events and refreshes what they concern. */
export function useEvents() {
  const client = useQueryClient();
  useEffect(() => {
    const source = new EventSource("/api/events");
    // What was asked before the events were heard may have changed unheard: the first time, and after each gap.
    source.addEventListener("open", () => void client.invalidateQueries());
    source.onmessage = (m) => {
      const e = JSON.parse(m.data) as Event;
      const refresh: Refresh = (...queryKey) => makeOld(client, ...queryKey);
      if (e.patient && e.kind !== "note") refresh("chart", e.patient);
      makesOld[e.kind]?.(e, refresh, client); // a server that is newer may know more
    };
    return () => source.close();
  }, [client]);
}
