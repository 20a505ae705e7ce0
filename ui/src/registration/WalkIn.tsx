import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { useAct } from "../exchange/act";
import { api, got, type Schemas } from "../exchange/client";
import { KeyCap } from "../frame/keys";
import { Form } from "../kit/Form";
import { Wrong } from "../kit/Wrong";
import { Choose, Field } from "./Field";

/** WalkIn puts somebody who is here without an appointment on today's list. */
export function WalkIn({
  view,
  choices,
  leave,
}: {
  view: Schemas["RegistrationView"];
  choices: Schemas["RegistrationChoices"];
  leave: () => void;
}) {
  const go = useNavigate();
  const client = useQueryClient();
  const { act, error } = useAct(`walk in ${view.patient.id}`);
  const physicians = choices.clinicians.filter((c) =>
    ["physician", "nurse practitioner", "physician assistant"].includes(c.role),
  );
  const [id] = useState(() => crypto.randomUUID());
  const [clinician, setClinician] = useState(
    physicians.find((c) => c.id === view.usual)?.id ?? physicians[0]?.id ?? choices.clinicians[0]?.id ?? "",
  );
  const [kind, setKind] = useState(choices.visits[0] ?? "");
  const [reason, setReason] = useState("");
  async function begin() {
    const visit = await act(() =>
      got(
        api.POST("/api/patients/{id}/visits", {
          params: { path: { id: view.patient.id } },
          body: { id, clinician, kind, reason },
        }),
      ),
    );
    if (!visit) return;
    await client.invalidateQueries({ queryKey: ["day"] });
    go("/");
  }
  return (
    <Form aria-label="A visit now" className="mb-5 flex flex-col gap-2" act={begin} leave={leave}>
      <h2 className="text-title">A visit now</h2>
      <Wrong says={error} />
      <Field label="Reason" value={reason} set={setReason} focus />
      <Choose
        label="With"
        value={clinician}
        set={setClinician}
        options={choices.clinicians.map((c) => [c.id, `${c.name}, ${c.role}`])}
      />
      <Choose label="Kind" value={kind} set={setKind} options={choices.visits.map((v) => [v, v])} />
      <p>
        <button type="submit" className="act">
          Put on today's list <KeyCap k="Enter" />
        </button>
        <button type="button" className="plain" onClick={leave}>
          Leave it
        </button>
      </p>
    </Form>
  );
}
