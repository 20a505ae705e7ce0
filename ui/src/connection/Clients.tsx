import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { asks } from "../exchange/asks";
import { api, got, say } from "../exchange/client";
import { day } from "../frame/time";
import { Choice } from "../kit/Choice";
import { Form, Why } from "../kit/Form";
import { Wrong } from "../kit/Wrong";

const kinds = [
  "Patient",
  "Condition",
  "AllergyIntolerance",
  "MedicationRequest",
  "MedicationStatement",
  "Immunization",
  "Observation",
  "DiagnosticReport",
  "DocumentReference",
  "Encounter",
  "Procedure",
  "CareTeam",
  "Provenance",
];

/** Clients are the programs that read charts over FHIR: a token is given to each, shown once, and ended with the reason. */
export function Clients() {
  const client = useQueryClient();
  const found = useQuery(asks.fhirClients());
  const [name, setName] = useState("");
  const [some, setSome] = useState<string[]>([]);
  const [token, setToken] = useState("");
  const [ending, setEnding] = useState("");
  const [error, setError] = useState("");
  async function act(call: () => Promise<unknown>) {
    setError("");
    try {
      await call();
      await client.invalidateQueries({ queryKey: asks.fhirClients().queryKey });
      return true;
    } catch (e) {
      setError(say(e));
      return false;
    }
  }
  const give = () =>
    act(async () => {
      const scopes = some.map((k) => `system/${k === "everything" ? "*" : k}.read`);
      const out = await got(api.POST("/api/fhir-clients", { body: { name, scopes } }));
      setToken(out.token);
      setName("");
      setSome([]);
    });
  return (
    <section aria-labelledby="clients" className="mt-8 max-w-[900px]">
      <h2 id="clients" className="text-title-m">
        Programs that read charts
      </h2>
      <p className="small mb-2">
        Over FHIR, at <span className="font-mono">{location.origin}/fhir</span>: read-only, and only of patients who agree that
        their chart goes out.
      </p>
      <ul>
        {found.data?.map((c) => (
          <li key={c.id} className="border-b border-rule py-1.5 text-aside">
            <b>{c.name}</b>{" "}
            <span className="text-faded">
              {c.scopes.map((s) => s.replace("system/", "").replace(".read", "").replace("*", "everything")).join(", ")} · given
              by {c.by}, {day(c.at)}
            </span>
            {c.ended ? (
              <span className="block text-carried">Ended by {c.ended}</span>
            ) : ending === c.id ? (
              <Why
                label={`Why ${c.name} reads no more`}
                says="Why it reads no more"
                word="End it"
                act={async (reason) => {
                  if (
                    await act(() =>
                      got(api.POST("/api/fhir-clients/{id}/ended", { params: { path: { id: c.id } }, body: { reason } })),
                    )
                  )
                    setEnding("");
                }}
                leave={() => setEnding("")}
              />
            ) : (
              <button type="button" className="plain ml-3 px-0 py-0" onClick={() => setEnding(c.id)}>
                End it…
              </button>
            )}
          </li>
        ))}
      </ul>
      {found.data?.length === 0 && <p className="small">No program reads charts here.</p>}
      {token && (
        <p role="status" className="margin-note my-3">
          The token, shown this once: <span className="font-mono break-all select-all">{token}</span>
        </p>
      )}
      <Form className="mt-3" act={give}>
        <label className="label block max-w-[420px]">
          A token for
          <input
            className="field text-ink"
            placeholder="Ferrygate Imaging, their reader"
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
        </label>
        <p className="label mt-2">Reads</p>
        <p className="mt-1 flex flex-wrap gap-1.5">
          {[...kinds, "everything"].map((k) => (
            <Choice
              key={k}
              on={some.includes(k)}
              set={() => setSome(some.includes(k) ? some.filter((x) => x !== k) : [...some, k])}
            >
              {k}
            </Choice>
          ))}
        </p>
        <Wrong says={error} className="mt-1" />
        <button type="submit" className="act mt-2">
          Give it a token
        </button>
      </Form>
    </section>
  );
}
