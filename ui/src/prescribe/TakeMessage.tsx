import { useState } from "react";
import { useNavigate } from "react-router";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { PersonSearch } from "../kit/PersonSearch";
import { Wrong } from "../kit/Wrong";

/** TakeMessage takes down what somebody asked by telephone; it becomes a line of who usually sees the patient. */
export function TakeMessage() {
  const go = useNavigate();
  const [patient, setPatient] = useState<Schemas["PatientView"] | null>(null);
  const [text, setText] = useState("");
  const [from, setFrom] = useState("");
  const [request, setRequest] = useState(() => crypto.randomUUID() as string);
  const [error, setError] = useState("");
  const [done, setDone] = useState("");
  async function keep() {
    setError("");
    setDone("");
    if (!patient) {
      setError("Say of whom it is.");
      return;
    }
    try {
      await got(api.POST("/api/inquiries", { body: { patient: patient.id, text, from: from || undefined, requestId: request } }));
      setDone(`Taken down for ${patient.given} ${patient.family}.`);
      setPatient(null);
      setText("");
      setFrom("");
      setRequest(crypto.randomUUID());
    } catch (e) {
      setError(say(e));
    }
  }
  useKeys([
    { key: "Ctrl+Enter", label: "Keep the message", run: () => void keep() },
    { key: "Escape", label: "Leave", run: () => go(-1) },
  ]);
  return (
    <main id="page" className="min-h-0 flex-1 overflow-auto bg-leaf px-10 py-5 max-phone:px-4">
      <h1 className="text-page">A message by telephone</h1>
      <p className="small">It becomes an open line of who usually sees the patient, until somebody says what was answered.</p>
      <div className="max-w-[560px]">
        <PersonSearch label="Of whom" but="" chosen={patient} choose={setPatient} />
        <label className="label mt-3 block">
          What is asked
          <textarea
            rows={4}
            maxLength={4000}
            className="field font-serif text-title text-ink"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
        </label>
        <label className="label mt-3 block">
          Who called, and where to call back
          <input className="field text-ink" maxLength={200} value={from} onChange={(e) => setFrom(e.target.value)} />
        </label>
        <p className="mt-3 flex items-baseline gap-3">
          <button type="button" className="act" onClick={() => void keep()}>
            Keep it <KeyCap k="Ctrl+Enter" />
          </button>
          <Wrong says={error} as="span" className="font-semibold" />
          <span role="status">{done}</span>
        </p>
      </div>
    </main>
  );
}
