import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, say } from "../exchange/client";
import { KeyCap } from "../frame/keys";
import { Panel } from "../kit/Panel";
import { Wrong } from "../kit/Wrong";

/** Recall shows what would be written to the people of a run, to whom not and why, and writes it. */
export function Recall({ run, leave }: { run: string; leave: () => void }) {
  const [id] = useState(() => crypto.randomUUID());
  const [error, setError] = useState("");
  const [busy, setBusy] = useState(false);
  const client = useQueryClient();
  const shown = useQuery({
    queryKey: ["recall", id],
    queryFn: () => got(api.POST("/api/practice/recalls", { body: { id, run } })),
    staleTime: Number.POSITIVE_INFINITY,
  });
  const r = shown.data;
  const some = (r?.letter ?? 0) + (r?.portal ?? 0);
  async function send() {
    if (!r || r.sent || busy || some === 0) return;
    setBusy(true);
    try {
      client.setQueryData(["recall", id], await got(api.POST("/api/practice/recalls", { body: { id, run, send: true } })));
      void client.invalidateQueries({ queryKey: ["desk"] });
      setError("");
    } catch (e) {
      setError(say(e));
    }
    setBusy(false);
  }
  const groups = r
    ? [
        { word: r.sent ? "Written to by letter" : "By letter", rows: r.rows.filter((x) => x.way === "letter") },
        { word: r.sent ? "Written to through the portal" : "Through the portal", rows: r.rows.filter((x) => x.way === "portal") },
        { word: "Not written to", rows: r.rows.filter((x) => x.way === "not written to") },
      ]
    : [];
  return (
    <Panel label="Write to them" title={r?.sent ? "Written" : "Write to them"} leave={leave} wide>
      <Wrong says={error || (shown.error ? say(shown.error) : "")} />
      {!r && !shown.error && <p className="small">Reading…</p>}
      {r && (
        <>
          <p className="mb-2" role="status">
            {r.letter} by letter, {r.portal} through the portal, {r.not} not.{" "}
            {r.sent
              ? "Each stays an open line of yours until it is written down what came of it."
              : "What is confidential, and what is not known for certain, is not named."}
            {r.more > 0 && ` ${r.more} more were found than are listed: choose a rule or a clinician for fewer.`}
          </p>
          {r.sent ? (
            r.letter > 0 && (
              <a
                className="act mb-3 inline-block"
                href={`/api/practice/recalls/${r.id}/letters.pdf`}
                target="_blank"
                rel="noreferrer"
              >
                Print {r.letter === 1 ? "the letter" : `${r.letter} letters`}
              </a>
            )
          ) : (
            <button type="button" autoFocus className="act mb-3" disabled={some === 0 || busy} onClick={() => void send()}>
              Write to {some === 1 ? "one person" : `${some} people`} <KeyCap k="Enter" />
            </button>
          )}
          {groups
            .filter((g) => g.rows.length > 0)
            .map((g) => (
              <section key={g.word} aria-label={g.word} className="mb-3">
                <h3 className="font-semibold">
                  {g.word}: {g.rows.length}
                </h3>
                <ul>
                  {g.rows.map((x) => (
                    <li key={x.patient.id} className="border-t border-rule py-1">
                      {x.why ? (
                        <>
                          {x.patient.family}, {x.patient.given}{" "}
                          <span className="text-faded">
                            – {x.why}
                            {x.patient.phone && ` (${x.patient.phone})`}
                          </span>
                        </>
                      ) : (
                        <details>
                          <summary className="cursor-pointer">
                            {x.patient.family}, {x.patient.given}
                            {x.kept > 0 && <span className="text-faded"> – {x.kept} confidential, not named</span>}
                          </summary>
                          <p className="mt-1 whitespace-pre-wrap border-l-2 border-rule pl-3">{x.text}</p>
                        </details>
                      )}
                    </li>
                  ))}
                </ul>
              </section>
            ))}
        </>
      )}
    </Panel>
  );
}
