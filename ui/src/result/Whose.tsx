import { Link } from "react-router";
import type { Schemas } from "../exchange/client";
import { day } from "../frame/time";

/** Whose says whose results stand below. */
export function Whose({ patient: p }: { patient: Schemas["PatientView"] }) {
  return (
    <div className="mb-3 flex flex-wrap items-baseline gap-x-3">
      <h1 className="text-page">
        <Link to={`/patients/${p.id}`} className="hover:underline">
          {p.given} {p.family}
        </Link>
      </h1>
      <span className="small">
        {p.age}, {p.sex}, b. {day(p.birthDate)} · <span className="font-mono">{p.record}</span>
        {p.usesPortal ? " · uses the portal" : " · no portal"}
      </span>
    </div>
  );
}
