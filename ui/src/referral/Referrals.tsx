import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { asks } from "../exchange/asks";
import { say } from "../exchange/client";
import { day } from "../frame/time";
import { Table } from "../kit/Table";
import { says } from "./Refer";

/** Referrals lists the referrals of a patient, newest first, with where each stands. */
export function Referrals({ patient }: { patient: string }) {
  const found = useQuery(asks.referrals(patient));
  if (found.error) return <p className="small">{say(found.error)}</p>;
  if (!found.data || found.data.length === 0) return null;
  return (
    <section aria-label="Imaging, procedures, supplies, referrals" className="mt-6">
      <h2 className="mb-1 text-title-m">Imaging, procedures, supplies, referrals</h2>
      <Table
        className="text-aside"
        columns={[
          { word: "Signed", className: "w-36" },
          { word: "What, to whom, and the question" },
          { word: "Stands", className: "w-44" },
          { word: "Awaited", className: "w-56" },
        ]}
      >
        {found.data.map((r) => (
          <tr key={r.id} className="border-b border-rule align-baseline">
            <td className="py-1.5 pr-2">{r.signedAt ? day(r.signedAt) : "not signed"}</td>
            <td className="pr-3 pb-1.5">
              <Link to={`/desk/referral/${r.id}`} className="font-semibold hover:underline">
                {r.kind === "referral" ? says(r.to) : r.title}
              </Link>
              <span className="small block">
                {r.kind !== "referral" && `${says(r.to)}${r.question && " · "}`}
                {r.question}
              </span>
            </td>
            <td className="pr-2">{r.state}</td>
            <td>
              {r.late && <strong className="font-semibold text-carried">late · </strong>}
              {r.next} {r.next && <span className="text-faded">by {day(r.nextBy)}</span>}
            </td>
          </tr>
        ))}
      </Table>
    </section>
  );
}
