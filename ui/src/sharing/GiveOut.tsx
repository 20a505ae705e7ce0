import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap } from "../frame/keys";
import { useDraft } from "../frame/left";
import { Choice } from "../kit/Choice";
import { Form } from "../kit/Form";
import { Wrong } from "../kit/Wrong";

type Page = Schemas["SharingPage"];
type New = Schemas["NewGiven"];

const forms: [New["form"], string][] = [
  ["PDF", "PDF, to read"],
  ["C-CDA", "C-CDA, for another house"],
  ["FHIR", "FHIR, whole with notes and documents"],
];

/** save hands a file to whoever asked for it. */
function save(f: Schemas["GivenFile"]) {
  const bytes = Uint8Array.from(atob(f.file ?? ""), (c) => c.charCodeAt(0));
  const a = document.createElement("a");
  a.href = URL.createObjectURL(new Blob([bytes], { type: f.type }));
  a.download = f.name;
  a.click();
  setTimeout(() => URL.revokeObjectURL(a.href), 10_000);
}

/** GiveOut gives a copy of a chart, or of chosen parts and days of it, to the patient, to somebody else, or to the exchange. */
export function GiveOut({ id, v, leave }: { id: string; v: Page; leave: () => void }) {
  const client = useQueryClient();
  const held = useQuery(asks.keptBack(id)).data;
  const { d, request, change, given } = useDraft(
    `given ${id}`,
    () => ({ whom: "patient", form: "PDF", parts: [], name: "", why: "", first: "", last: "" }) as New,
    (v) => v.whom === "patient" && v.parts.length === 0 && !v.first && !v.last,
  );
  const [error, setError] = useState("");
  const [done, setDone] = useState("");
  const out = !!v.out?.given;
  const linked = v.link.state === "linked";
  const part = (p: string) => change({ parts: d.parts.includes(p) ? d.parts.filter((x) => x !== p) : [...d.parts, p] });
  async function give() {
    setError("");
    try {
      const f = await got(
        api.POST("/api/patients/{id}/sharing/given", { params: { path: { id } }, body: { ...d, id: request } }),
      );
      if (f.file) save(f);
      given();
      setDone(f.file ? `${f.name} was given out.` : "It is on its way to the exchange.");
      await client.invalidateQueries({ queryKey: asks.sharing(id).queryKey });
    } catch (e) {
      setError(say(e));
    }
  }
  return (
    <Form act={give} leave={leave}>
      <h3 className="text-title-s font-semibold">Give a copy out</h3>
      <fieldset className="mt-2">
        <legend className="label">To</legend>
        <div className="mt-1 flex flex-wrap gap-1.5">
          <Choice on={d.whom === "patient"} set={() => change({ whom: "patient" })}>
            the patient
          </Choice>
          {out && (
            <Choice on={d.whom === "person"} set={() => change({ whom: "person" })}>
              somebody else
            </Choice>
          )}
          {out && linked && (
            <Choice on={d.whom === "exchange"} set={() => change({ whom: "exchange", form: "FHIR" })}>
              the exchange
            </Choice>
          )}
        </div>
        {d.whom !== "patient" && held && held.wishes.length > 0 && (
          <p className="small mt-1">
            What {v.patient.given} holds back is left out
            {held.ask > 0 && `, and so ${held.ask === 1 ? "is 1 entry" : `are ${held.ask} entries`} that nobody has looked at`}.
          </p>
        )}
        {!out && <p className="small mt-1">To others only once the patient agrees that the chart goes out.</p>}
      </fieldset>
      {d.whom === "person" && (
        <>
          <label className="label mt-2 block">
            Who
            <input autoFocus className="field text-ink" value={d.name} onChange={(e) => change({ name: e.target.value })} />
          </label>
          <label className="label mt-2 block">
            For what
            <input className="field text-ink" value={d.why} onChange={(e) => change({ why: e.target.value })} />
          </label>
        </>
      )}
      {d.whom !== "exchange" && (
        <fieldset className="mt-3">
          <legend className="label">As</legend>
          <div className="mt-1 flex flex-col items-start gap-1.5">
            {forms.map(([f, word]) => (
              <Choice key={f} on={d.form === f} set={() => change({ form: f })}>
                {word}
              </Choice>
            ))}
          </div>
        </fieldset>
      )}
      <fieldset className="mt-3">
        <legend className="label">{d.parts.length === 0 ? "The whole chart, or only" : "Only"}</legend>
        <div className="mt-1 flex flex-wrap gap-1.5">
          {v.parts.map((p) => (
            <Choice key={p.id} on={d.parts.includes(p.id)} set={() => part(p.id)}>
              {p.title}
            </Choice>
          ))}
        </div>
      </fieldset>
      <div className="mt-3 flex gap-4">
        <label className="label block flex-1">
          From
          <input
            type="date"
            max={v.today}
            className="field text-ink"
            value={d.first}
            onChange={(e) => change({ first: e.target.value })}
          />
        </label>
        <label className="label block flex-1">
          Until
          <input
            type="date"
            max={v.today}
            className="field text-ink"
            value={d.last}
            onChange={(e) => change({ last: e.target.value })}
          />
        </label>
      </div>
      <p className="small mt-2">
        What happened on days is chosen by them; lists are as they stand today. Every copy says that parts may be left out.
      </p>
      <Wrong says={error} className="mt-2" />
      {done && (
        <p role="status" className="mt-2 font-semibold text-settled">
          {done}
        </p>
      )}
      <p className="mt-3 flex gap-3">
        <button type="submit" className="act">
          Give it out <KeyCap k="Enter" />
        </button>
        <button type="button" className="plain" onClick={leave}>
          Done
        </button>
      </p>
    </Form>
  );
}
