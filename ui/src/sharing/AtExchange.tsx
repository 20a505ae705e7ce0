import { useState } from "react";
import { Link } from "react-router";
import { api, got, type Schemas } from "../exchange/client";
import { KeyCap } from "../frame/keys";
import { day } from "../frame/time";
import { moment } from "../kit/Course";
import { Why } from "../kit/Form";
import type { Act, Page } from "./page";

/** AtExchange is whom the patient is at the exchange, and how that is mended where nobody can say. */
export function AtExchange({
  v,
  act,
  busy,
  ask,
  fetchThem,
}: {
  v: Page;
  act: Act;
  busy: boolean;
  ask?: () => void;
  fetchThem?: () => void;
}) {
  const [asking, setAsking] = useState("");
  const l = v.link;
  const id = v.patient.id;
  const params = { path: { id } };
  const states: Record<string, string> = {
    "": "Nobody has asked the exchange about this patient.",
    linked: "Linked.",
    question: "Not linked: a person says whether it is the same.",
    nobody: "Not linked.",
    failed: "Not linked.",
    unlinked: "No longer linked.",
  };
  return (
    <>
      <p className="mt-2">
        <b className={l.state === "linked" ? "text-settled" : l.state ? "text-carried" : ""}>{states[l.state]}</b> {l.says}{" "}
        {l.at && (
          <span className="text-faded">
            {moment(l.at)}, {l.by}
          </span>
        )}
      </p>
      {l.mends && <p className="text-aside">{l.mends}</p>}
      {l.candidates.length > 0 && (
        <table className="mt-2 w-full border-collapse text-left text-table">
          <thead>
            <tr className="label border-b border-rule">
              <th className="py-1 pr-3 font-semibold"> </th>
              <th className="pr-3 font-semibold">Name</th>
              <th className="pr-3 font-semibold">Born</th>
              <th className="pr-3 font-semibold">Sex</th>
              <th className="pr-3 font-semibold">Lives</th>
              <th className="pr-3 font-semibold">Telephone</th>
            </tr>
          </thead>
          <tbody>
            <Written who="As we write it" c={l.ours} />
            {l.candidates.map((c, i) => (
              <Written
                key={c.id}
                who={l.candidates.length > 1 ? `There, ${i + 1}` : "There"}
                c={c}
                ours={l.ours}
                more={
                  asking === c.id ? (
                    <Why
                      label={`Why ${c.name} is the same person`}
                      says="Why it is the same person"
                      word="Link"
                      act={(reason) =>
                        act(() =>
                          got(api.POST("/api/patients/{id}/sharing/link/confirmed", { params, body: { person: c.id, reason } })),
                        )
                      }
                      leave={() => setAsking("")}
                    />
                  ) : (
                    <span className="flex flex-wrap items-baseline gap-x-4 text-aside">
                      {l.candidates.length > 1 && <span className="text-carried">{c.why}</span>}
                      <button type="button" className="plain px-0 py-0" onClick={() => setAsking(c.id)}>
                        It is the same person…
                      </button>
                    </span>
                  )
                }
              />
            ))}
          </tbody>
        </table>
      )}
      <p className="mt-2 flex flex-wrap items-baseline gap-x-4">
        {ask && (
          <button type="button" className="choice" disabled={busy} onClick={ask}>
            {busy ? "Asking…" : l.state ? "Ask it again" : "Ask who this is there"} <KeyCap k="l" />
          </button>
        )}
        {fetchThem && (
          <button type="button" className="choice" disabled={busy} onClick={fetchThem}>
            {busy ? "Asking…" : "Fetch documents"} <KeyCap k="d" />
          </button>
        )}
        {(l.state === "question" || l.state === "nobody") && (
          <Link className="plain px-0" to={`/patients/${id}/registration`}>
            Correct our registration
          </Link>
        )}
        {!ask && !l.state && <span className="small">It is asked once the patient agrees to share in one direction.</span>}
        {l.state === "linked" &&
          (asking === "end" ? (
            <Why
              label="Why the link ends"
              says="Why the link ends"
              word="End it"
              act={async (reason) => {
                if (await act(() => got(api.POST("/api/patients/{id}/sharing/link/ended", { params, body: { reason } }))))
                  setAsking("");
              }}
              leave={() => setAsking("")}
            />
          ) : (
            <button type="button" className="plain px-0 py-0" onClick={() => setAsking("end")}>
              It is somebody else: end the link…
            </button>
          ))}
      </p>
    </>
  );
}

type Person = Schemas["AtExchange"];

// Written is how one side writes somebody; what differs from ours is heavier.
function Written({ who, c, ours, more }: { who: string; c: Person; ours?: Person; more?: React.ReactNode }) {
  const cell = (said: string, our: string | undefined, show = said) => (
    <td
      className={`py-1 pr-3 ${said && our !== undefined && said.toLowerCase() !== our.toLowerCase() ? "font-semibold text-carried" : ""}`}
    >
      {said ? show : <span className="text-faded">not said</span>}
    </td>
  );
  return (
    <>
      <tr className={more ? "" : "border-b border-rule"}>
        <th className="label py-1 pr-3 text-left font-semibold">{who}</th>
        {cell(c.name, ours?.name)}
        {cell(c.born, ours?.born, day(c.born))}
        {cell(c.sex, ours?.sex)}
        {cell(c.lives, ours?.lives)}
        {cell(c.phone, ours?.phone)}
      </tr>
      {more && (
        <tr className="border-b border-rule">
          <td />
          <td colSpan={5} className="pb-1.5">
            {more}
          </td>
        </tr>
      )}
    </>
  );
}

/** NotHers is a document that names somebody who differs: it is not taken before somebody says why. */
export function NotHers({ id, u, act }: { id: string; u: Schemas["Untaken"]; act: Act }) {
  const [asking, setAsking] = useState(false);
  return (
    <div className="margin-note my-2 border-alarm">
      <b>
        {u.title} of {u.house || "a house that is not named"} was not taken.
      </b>{" "}
      {u.why}
      {asking ? (
        <Why
          label="Why it is the patient's all the same"
          says="Why it is the patient's all the same"
          word="Take it"
          act={(reason) =>
            act(() =>
              got(
                api.POST("/api/patients/{id}/sharing/documents/taken", {
                  params: { path: { id } },
                  body: { document: u.document, reason },
                }),
              ),
            )
          }
          leave={() => setAsking(false)}
        />
      ) : (
        <button type="button" className="plain block px-0 py-0" onClick={() => setAsking(true)}>
          It is the patient's all the same…
        </button>
      )}
    </div>
  );
}
