import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { clock, day } from "../frame/time";
import { Table } from "../kit/Table";
import { Wrong } from "../kit/Wrong";
import { gathered, useGathered } from "./gathered";

const forms = { pdf: "printed", fhir: "as FHIR", csv: "as a table" };

/** Printing is what is gathered to go on paper together, and what was printed before, which is found and printed again as it was.
 * Printing closes nothing. */
export function Printing() {
  const all = useGathered();
  const client = useQueryClient();
  const before = useQuery(asks.printings());
  const [opened, setOpened] = useState("");
  const [id, setID] = useState(() => crypto.randomUUID());
  const [error, setError] = useState("");
  async function make() {
    setError("");
    try {
      const b = await got(api.POST("/api/printings", { body: { id, reports: all.map((r) => r.id) } }));
      gathered.clear();
      setID(crypto.randomUUID());
      await client.invalidateQueries({ queryKey: ["printings"] });
      setOpened(b.id);
    } catch (e) {
      setError(say(e));
    }
  }
  useKeys(all.length > 0 ? [{ key: "Ctrl+Enter", label: "Make a batch of what is gathered", run: () => void make() }] : []);
  return (
    <main id="page" className="min-h-0 flex-1 overflow-auto bg-leaf px-10 py-5 max-phone:px-4">
      <h1 className="text-page">Results on paper</h1>
      <p className="small mb-3">
        Any reports as one batch with a cover list, on paper or as a file. Printing closes nothing: each report waits as before.
      </p>
      <section aria-label="Gathered" className="max-w-[900px]">
        {all.length === 0 ? (
          <p className="small">
            Nothing is gathered. On a packet, a report or the results of a patient, <KeyCap k="Alt+G" /> puts them here.
          </p>
        ) : (
          <>
            <Table
              className="text-aside"
              columns={[{ word: "Patient" }, { word: "Report" }, { word: "Collected" }, { word: "Take out", hidden: true }]}
            >
              {all.map((r) => (
                <tr key={r.id} className="border-b border-rule">
                  <td className="py-1.5 font-semibold">{r.of}</td>
                  <td>{r.title}</td>
                  <td>{r.at ? day(r.at) : "not stated"}</td>
                  <td className="text-right">
                    <button
                      type="button"
                      className="plain py-0"
                      aria-label={`Take out ${r.title} of ${r.of}`}
                      onClick={() => gathered.drop(r.id)}
                    >
                      take out
                    </button>
                  </td>
                </tr>
              ))}
            </Table>
            <button type="button" className="act mt-3" onClick={() => void make()}>
              Make a batch of {all.length} <KeyCap k="Ctrl+Enter" />
            </button>
          </>
        )}
        <Wrong says={error} className="mt-2" />
      </section>
      <section aria-label="Earlier batches" className="mt-6 max-w-[900px]">
        <h2 className="mb-1 text-title-m">Batches</h2>
        {before.error && <Wrong says={say(before.error)} />}
        {before.data?.length === 0 && (
          <p className="small">None yet. What is printed stands here, with who printed it and when.</p>
        )}
        <ul>
          {before.data?.map((b) => (
            <li key={b.id} className="border-b border-rule py-2">
              <div className="flex flex-wrap items-baseline gap-x-4">
                <button
                  type="button"
                  className="plain px-0 py-0"
                  aria-expanded={opened === b.id}
                  onClick={() => setOpened(opened === b.id ? "" : b.id)}
                >
                  {day(b.at)}, {clock(b.at)}
                </button>
                <span>
                  {b.reports} {b.reports === 1 ? "report" : "reports"} of {b.patients} {b.patients === 1 ? "patient" : "patients"}
                </span>
                <span className="small">{b.by}</span>
                <span className="small ml-auto">
                  {b.made.length === 0
                    ? "not made yet"
                    : b.made.map((m) => `${forms[m.form]} ${day(m.at)}, ${clock(m.at)} by ${m.by}`).join(" · ")}
                </span>
              </div>
              {opened === b.id && <Batch of={b} />}
            </li>
          ))}
        </ul>
      </section>
    </main>
  );
}

/** Batch is the cover list of a batch, and its ways out. */
function Batch({ of: b }: { of: Schemas["BatchRow"] }) {
  const batch = useQuery(asks.printing(b.id));
  const client = useQueryClient();
  const paper = useRef<HTMLAnchorElement>(null);
  const ready = !!batch.data;
  useEffect(() => {
    if (ready) paper.current?.focus();
  }, [ready]);
  if (batch.error) return <Wrong says={say(batch.error)} />;
  if (!batch.data) return <p className="small">Reading the batch…</p>;
  const made = () => window.setTimeout(() => void client.invalidateQueries({ queryKey: ["printings"] }), 1500);
  return (
    <div className="mt-2">
      <p className="mb-2 flex flex-wrap gap-x-4">
        {(
          [
            ["results.pdf", b.made.length > 0 ? "Print it again (PDF)" : "Print (PDF)"],
            ["results.json", "As FHIR"],
            ["results.csv", "As a table (CSV)"],
          ] as const
        ).map(([name, word], i) => (
          <a
            key={name}
            ref={i === 0 ? paper : undefined}
            className={i === 0 ? "act" : "choice"}
            href={`/api/printings/${b.id}/${name}`}
            target="_blank"
            rel="noreferrer"
            onClick={made}
          >
            {word}
          </a>
        ))}
      </p>
      <ol className="text-aside">
        {batch.data.cover.map((c) => (
          <li key={c.report}>
            {c.given} {c.family} <span className="font-mono text-small">{c.record}</span>: {c.title},{" "}
            {c.collected ? day(c.collected) : "day not stated"}
            {c.gone && <b className="text-alarm"> · has left its chart since and is not printed again</b>}
            {c.newer && !c.gone && (
              <b className="text-carried"> · a newer issue has come since; this batch prints the one it had</b>
            )}
          </li>
        ))}
      </ol>
    </div>
  );
}
