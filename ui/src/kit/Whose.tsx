import { Link } from "react-router";
import type { Schemas } from "../exchange/client";
import { day } from "../frame/time";

/** Whose heads a page that is about somebody: name, birth date and record, with what else is needed to be certain. */
export function Whose({ patient: p, also = "" }: { patient: Schemas["PatientView"]; also?: string }) {
  return (
    <h1 className="text-page">
      <Link to={`/patients/${p.id}`}>
        {p.given} {p.family}
      </Link>{" "}
      <span className="small font-sans font-normal">
        born {day(p.birthDate)}, {p.record}
        {also}
      </span>
    </h1>
  );
}
