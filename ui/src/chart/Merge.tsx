import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { day } from "../frame/time";
import { Why } from "../kit/Form";
import { PersonSearch } from "../kit/PersonSearch";
import { Wrong } from "../kit/Wrong";
import { useSigning } from "../sign/useSigning";

type ChartView = Schemas["ChartView"];

/** Merge sets another record beside this one and, when a physician says so, reads it
 * as part of this chart. */
export function Merge({ chart, close }: { chart: ChartView; close: () => void }) {
  const p = chart.patient;
  const client = useQueryClient();
  const [other, setOther] = useState("");
  const [reason, setReason] = useState("");
  const [error, setError] = useState("");
  const { sign, dialog, busy } = useSigning();
  const sides = useQuery({
    ...asks.compare(p.id, other),
    enabled: other !== "",
  });
  const c = sides.data;
  return (
    <section aria-label="Another record of this person" className="mb-4 border border-edge p-4 text-aside">
      <h3 className="text-title-s">Another record of this person</h3>
      <p className="small">
        It is read as part of this chart from then on. Nothing is moved or rewritten, so the two can be taken apart again.
      </p>
      {!other && (
        <PersonSearch
          label="The other record (find by name, birth date or number)"
          but={p.id}
          chosen={null}
          choose={(x) => x && setOther(x.id)}
          leave={close}
        />
      )}
      {sides.error && <Wrong says={say(sides.error)} />}
      {other && c && (
        <>
          <div className="mt-3 grid grid-cols-2 gap-6">
            <Side side={c.kept} head="This chart stays" />
            <Side side={c.other} head="Read as part of it" />
          </div>
          <p className="mt-2">
            Agree: {c.agree.join(", ") || "nothing"}.{" "}
            {c.differ.length > 0 && <span className="font-semibold text-carried">Differ: {c.differ.join(", ")}.</span>}
          </p>
          <label className="label mt-2 block">
            How you know that both are one person
            <input autoFocus className="field text-ink" value={reason} onChange={(e) => setReason(e.target.value)} />
          </label>
          <button
            type="button"
            className="act mt-3"
            disabled={busy || reason.trim() === ""}
            onClick={() =>
              void sign({
                title: "Sign: both records are one person",
                lines: [
                  `${c.kept.patient.given} ${c.kept.patient.family}, ${c.kept.patient.record}`,
                  `${c.other.patient.given} ${c.other.patient.family}, ${c.other.patient.record}`,
                ],
                act: (secret) =>
                  got(api.POST("/api/patients/{id}/merge", { params: { path: { id: p.id } }, body: { other, reason, secret } })),
                done: () => {
                  void client.invalidateQueries();
                  close();
                },
                failed: (e) => setError(say(e)),
              })
            }
          >
            Read both as one chart
          </button>
        </>
      )}
      <button type="button" className="plain mt-2" onClick={close}>
        Leave it
      </button>
      <Wrong says={error} />
      {dialog}
    </section>
  );
}

function Side({ side, head }: { side: Schemas["MergeSide"]; head: string }) {
  const p = side.patient;
  return (
    <div>
      <h4 className="label">{head}</h4>
      <p className="text-read font-semibold">
        {p.given} {p.family}
      </p>
      <p>
        {p.age}, {p.sex}, born {day(p.birthDate)}
      </p>
      <p>
        Record <span className="font-mono">{p.record}</span> · {p.phone || "no phone"}
      </p>
      <p className="text-faded">{side.holds.join(", ") || "nothing written"}</p>
    </div>
  );
}

/** Merged names the records that are read as part of this chart, and takes them apart. */
export function Merged({ chart, mayPart }: { chart: ChartView; mayPart: boolean }) {
  const client = useQueryClient();
  const [parting, setParting] = useState("");
  const [said, setSaid] = useState("");
  const { sign, dialog, busy } = useSigning();
  return (
    <>
      {chart.merged.map((m) => (
        <div key={m.id} className="mb-2 border-l-[3px] border-edge pl-3 text-aside">
          <p>
            Holds record <span className="font-mono">{m.record}</span> ({m.name}) too{" "}
            <span className="text-faded">
              · {m.by}, {day(m.at)}: {m.reason}
            </span>{" "}
            {mayPart && parting !== m.id && (
              <button type="button" className="plain py-0" onClick={() => setParting(m.id)}>
                Take apart…
              </button>
            )}
          </p>
          {parting === m.id && (
            <Why
              label="How you know that they are two people"
              says="How you know that they are two people"
              word="Take apart"
              busy={busy}
              act={(reason) =>
                sign({
                  title: "Sign: these are two people",
                  lines: [`${chart.patient.given} ${chart.patient.family}, ${chart.patient.record}`, `${m.name}, ${m.record}`],
                  act: async (secret) => {
                    const stays = await got(
                      api.POST("/api/merges/{id}/apart", { params: { path: { id: m.id } }, body: { reason, secret } }),
                    );
                    setSaid(
                      stays.length > 0
                        ? `Taken apart. Written here while they were one, and staying here, look whose it is: ${stays.join(", ")}.`
                        : "Taken apart. Nothing had been written here while they were one.",
                    );
                  },
                  done: () => {
                    setParting("");
                    void client.invalidateQueries();
                  },
                  failed: (e) => setSaid(say(e)),
                })
              }
              leave={() => setParting("")}
            />
          )}
        </div>
      ))}
      <p role="status" className="mb-2 text-aside font-semibold text-carried">
        {said}
      </p>
      {dialog}
    </>
  );
}
