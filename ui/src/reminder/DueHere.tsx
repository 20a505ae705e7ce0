import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { asks } from "../exchange/asks";
import { KeyCap } from "../frame/keys";

/** DueHere leads to the round of a patient, and says how many reminders wait. */
export function DueHere({ patient, visit, k = "r" }: { patient: string; visit: string; k?: string }) {
  const view = useQuery(asks.reminders(patient));
  return (
    <Link className="plain px-1" to={`/patients/${patient}/round${visit ? `?visit=${visit}` : ""}`}>
      Round{view.data && `: ${view.data.open} due`} <KeyCap k={k} />
    </Link>
  );
}
