import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { asks } from "../exchange/asks";
import { type Schemas, say } from "../exchange/client";
import { day } from "../frame/time";
import { Table } from "../kit/Table";
import { says } from "./Refer";

type Row = { referral: Schemas["ReferralView"]; patient?: Schemas["PatientView"] };

/** meant says whether a row has all the words that it is filtered by. */
function meant({ referral: r, patient: p }: Row, words: string) {
  const text =
    ` ${[p?.given, p?.family, p?.record, r.title, says(r.to), r.question, r.state, r.clinician, r.number, r.kind].join(" ")}`.toLowerCase();
  return words
    .toLowerCase()
    .split(/\s+/)
    .every((w) => text.includes(` ${w}`));
}

/** Referrals lists imaging, procedures, supplies and referrals of a patient, newest first, with where each stands. */
export function Referrals({ patient, words }: { patient: string; words: string }) {
  const found = useQuery(asks.referrals(patient));
  if (found.error) return <p className="small">{say(found.error)}</p>;
  return <Rows rows={(found.data ?? []).map((referral) => ({ referral })).filter((r) => meant(r, words))} />;
}

/** UnderWay lists those of the practice of which something is still expected. */
export function UnderWay({ late, words }: { late: boolean; words: string }) {
  const found = useQuery(asks.underWay());
  if (found.error) return <p className="small">{say(found.error)}</p>;
  return <Rows rows={(found.data ?? []).filter((r) => (!late || r.referral.late) && meant(r, words))} />;
}

function Rows({ rows }: { rows: Row[] }) {
  if (rows.length === 0) return null;
  const whose = rows.some((r) => r.patient);
  return (
    <section aria-label="Imaging, procedures, supplies, referrals" className="mt-6">
      <h2 className="mb-1 text-title-m">Imaging, procedures, supplies, referrals</h2>
      <Table
        className="text-aside"
        columns={[
          { word: "Signed", className: "w-36" },
          ...(whose ? [{ word: "Patient", className: "w-44" }] : []),
          { word: "What, to whom, and the question" },
          { word: "Stands", className: "w-44" },
          { word: "Awaited", className: "w-56" },
        ]}
      >
        {rows.map(({ referral: r, patient: p }) => (
          <tr key={r.id} className="border-b border-rule align-baseline">
            <td className="py-1.5 pr-2">{r.signedAt ? day(r.signedAt) : "not signed"}</td>
            {p && (
              <td className="pr-2">
                <Link to={`/patients/${p.id}`} className="hover:underline">
                  {p.given} {p.family}
                </Link>
              </td>
            )}
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
