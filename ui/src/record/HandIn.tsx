import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { asks } from "../exchange/asks";
import { api, got, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { day } from "../frame/time";
import { Form } from "../kit/Form";
import { Whose } from "../kit/Whose";
import { Wrong } from "../kit/Wrong";

const base64 = (file: File) =>
  new Promise<string>((done, failed) => {
    const r = new FileReader();
    r.onload = () => done(String(r.result).split(",")[1] ?? "");
    r.onerror = () => failed(new Error("The file cannot be read."));
    r.readAsDataURL(file);
  });

/** HandIn lists the records of other houses about a patient, and takes a new one in as a file. */
export function HandIn() {
  const id = useParams().id ?? "";
  const go = useNavigate();
  const client = useQueryClient();
  const records = useQuery(asks.records(id));
  const [file, setFile] = useState<File | null>(null);
  const [why, setWhy] = useState("");
  const [differs, setDiffers] = useState(false);
  const [error, setError] = useState("");
  useKeys([{ key: "s", label: "What is shared", run: () => go(`/patients/${id}/sharing`) }]);
  async function hand() {
    setError("");
    if (!file) return setError("Choose the file.");
    try {
      const out = await got(
        api.POST("/api/patients/{id}/records", { params: { path: { id } }, body: { file: await base64(file), why } }),
      );
      await client.invalidateQueries({ queryKey: ["records", id] });
      void client.invalidateQueries({ queryKey: ["desk"] });
      go(`/desk/record/${out.id}`);
    } catch (e) {
      setError(say(e));
      setDiffers(say(e).includes("who differs"));
    }
  }
  return (
    <main id="page" className="min-h-0 flex-1 overflow-auto bg-leaf px-10 py-5 max-phone:px-4">
      {records.data && <Whose patient={records.data.patient} />}
      <h2 className="text-title">Records from elsewhere</h2>
      {records.error && <Wrong says={say(records.error)} />}
      <ul className="mt-3 max-w-[760px]">
        {(records.data?.records ?? []).map((r) => (
          <li key={r.id} className="flex flex-wrap items-baseline gap-x-4 border-b border-rule py-2">
            <Link to={`/desk/record/${r.id}`} className="min-w-0 flex-1 font-semibold hover:underline">
              {r.house}: {r.title}
              {r.version && `, version ${r.version}`}
            </Link>
            <span className="small">
              received {day(r.receivedAt)} ·{" "}
              {r.signedBy ? `signed by ${r.signedBy}, ${day(r.signedAt)}` : r.unreadable ? "cannot be read" : "to decide"}
            </span>
          </li>
        ))}
      </ul>
      {records.data?.records.length === 0 && <p className="small">No other house has sent a record.</p>}
      <p className="mt-6">
        <Link className="plain px-0" to={`/patients/${id}/sharing`}>
          What is shared: consent, the exchange, copies of this chart <KeyCap k="s" />
        </Link>
      </p>
      <Form className="mt-6 max-w-[560px]" act={hand}>
        <label className="label block">
          A record as a file: a clinical document (C-CDA), or FHIR in JSON
          <input
            type="file"
            accept=".xml,.ccda,.cda,.json,application/xml,text/xml,application/json,application/fhir+json"
            className="field text-ink"
            onChange={(e) => setFile(e.target.files?.[0] ?? null)}
          />
        </label>
        {differs && (
          <label className="label mt-2 block">
            Why it is this patient's all the same
            <input autoFocus className="field text-ink" value={why} onChange={(e) => setWhy(e.target.value)} />
          </label>
        )}
        <Wrong says={error} className="mt-2" />
        <button type="submit" className="act mt-3">
          Hand it in
        </button>
      </Form>
    </main>
  );
}
