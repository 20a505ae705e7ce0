import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { clock, day } from "../frame/time";
import { Form } from "../kit/Form";
import { Table } from "../kit/Table";
import { Wrong } from "../kit/Wrong";
import { Clients } from "./Clients";

/** Connections shows how every other party is reached, what waits for each and when it answered last; the laboratory is
 * set up here, and tried. */
export function Connections() {
  const found = useQuery({ ...asks.connections(), refetchInterval: 5000 });
  const v = found.data;
  return (
    <main id="page" className="min-h-0 flex-1 overflow-auto bg-leaf px-10 py-5 max-phone:px-4">
      <h1 className="text-page">Connections</h1>
      <p className="small mb-3">How others are reached, what waits for each, and when it answered last.</p>
      {found.error && <p className="small">{say(found.error)}</p>}
      {v && (
        <>
          <Table
            className="text-aside"
            columns={[
              { word: "Who", className: "w-52" },
              { word: "What goes that way", className: "w-56" },
              { word: "Address" },
              { word: "Waits", className: "w-64" },
              { word: "Answered last", className: "w-40" },
            ]}
          >
            {v.connections.map((c) => (
              <tr key={c.name + c.what} className="border-b border-rule align-baseline">
                <td className="py-1.5 pr-3 font-semibold">{c.name}</td>
                <td className="pr-3">{c.what}</td>
                <td className="pr-3 font-mono text-small break-all">
                  {c.address || <span className="font-sans text-faded">not connected</span>}
                </td>
                <td className={`pr-3 ${c.waiting > 0 && c.attempts > 0 ? "font-semibold text-carried" : ""}`}>
                  {c.waiting === 0 ? <span className="text-faded">nothing</span> : `${c.waiting}`}
                  {c.waiting > 0 && c.attempts > 0 && (
                    <span className="block text-small">
                      tried {c.attempts} times: {c.lastError}
                    </span>
                  )}
                </td>
                <td>
                  {c.lastContact ? `${day(c.lastContact)}, ${clock(c.lastContact)}` : <span className="text-faded">never</span>}
                </td>
              </tr>
            ))}
          </Table>
          <Laboratory key={v.laboratory.version} name={v.connections[0]?.name ?? "The laboratory"} of={v.laboratory} />
          <Clients />
        </>
      )}
    </main>
  );
}

function Laboratory({ name, of }: { name: string; of: Schemas["LinkView"] }) {
  const client = useQueryClient();
  const [l, setL] = useState({ ...of, key: "" });
  const [says, setSays] = useState("");
  const [error, setError] = useState("");
  const [busy, setBusy] = useState(false);
  async function keep() {
    setError("");
    setSays("");
    try {
      await got(api.PUT("/api/connections/laboratory", { body: l }));
      await client.invalidateQueries({ queryKey: ["connections"] });
    } catch (e) {
      setError(say(e));
    }
  }
  async function attempt() {
    setError("");
    setSays("A test message is under way…");
    setBusy(true);
    try {
      const t = await got(api.POST("/api/connections/laboratory/try"));
      setSays(`${t.says} ${t.took} ms.`);
      if (!t.reached) setError("The connection does not work.");
      await client.invalidateQueries({ queryKey: ["connections"] });
    } catch (e) {
      setSays("");
      setError(say(e));
    }
    setBusy(false);
  }
  const area = (word: string, key: "authority" | "certificate" | "key", hint: string) => (
    <label className="label block w-[330px]">
      {word}
      <textarea
        rows={4}
        spellCheck={false}
        placeholder={hint}
        className="field font-mono text-small text-ink"
        value={l[key] ?? ""}
        onChange={(e) => setL({ ...l, [key]: e.target.value })}
      />
    </label>
  );
  return (
    <section aria-labelledby="laboratory" className="mt-6">
      <h2 id="laboratory" className="text-title-m">
        {name}
      </h2>
      <p className="small mb-2">
        Sites: {(of.sites ?? []).join(", ") || "none"}
        {of.until && ` · our certificate ends ${day(of.until)}`}
      </p>
      <Form act={keep} className="flex flex-wrap items-start gap-x-5 gap-y-3">
        <label className="label block w-[280px]">
          Address, host:port
          <input
            className="field font-mono text-ink"
            placeholder="as the program was started"
            value={l.address}
            onChange={(e) => setL({ ...l, address: e.target.value })}
          />
        </label>
        <label className="label block w-[180px]">
          Our account there
          <input className="field text-ink" value={l.account ?? ""} onChange={(e) => setL({ ...l, account: e.target.value })} />
        </label>
        <label className="flex items-center gap-1.5 pt-6">
          <input type="checkbox" checked={l.tls ?? false} onChange={(e) => setL({ ...l, tls: e.target.checked })} /> over TLS
        </label>
        {l.tls && (
          <div className="flex w-full flex-wrap gap-x-5 gap-y-3">
            {area("Certificate of the authority, PEM", "authority", "those of the system")}
            {area("Our certificate, PEM", "certificate", "none")}
            {area("Its key, PEM", "key", of.hasKey ? "kept; never shown again" : "none")}
          </div>
        )}
        <p className="flex w-full flex-wrap items-baseline gap-3">
          <button type="submit" className="act">
            Keep
          </button>
          <button type="button" className="choice" disabled={busy} onClick={() => void attempt()}>
            Send a test message
          </button>
          <span role="status">{says}</span>
          <Wrong says={error} as="span" className="font-semibold" />
        </p>
      </Form>
    </section>
  );
}
