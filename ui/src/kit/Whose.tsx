import { Link } from "react-router";
import type { Schemas } from "../exchange/client";
import { day } from "../frame/time";
import { useRight } from "../session/me";

/** Whose heads a page that is about somebody: name, age, sex, birth date and record, with what else is needed to be certain. It leads to
 * the chart, or for who sees none, to the registration. */
export function Whose({ patient: p, also }: { patient: Schemas["PatientView"]; also?: string }) {
  const chart = useRight("see a chart");
  return (
    <div className="mb-3 flex flex-wrap items-baseline gap-x-3">
      <h1 className="text-page">
        <Link to={chart ? `/patients/${p.id}` : `/patients/${p.id}/registration`} className="hover:underline">
          {p.given} {p.family}
        </Link>
      </h1>
      <span className="small">
        {p.age}, {p.sex}, b. {day(p.birthDate)} · <span className="font-mono">{p.record}</span>
        {also && ` · ${also}`}
      </span>
    </div>
  );
}

/** portal says whether a patient reads in the portal what is released to it. */
export const portal = (p: Schemas["PatientView"]) => (p.usesPortal ? "uses the portal" : "no portal");
