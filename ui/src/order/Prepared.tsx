import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { clock, day } from "../frame/time";
import { Why } from "../kit/Form";
import { Wrong } from "../kit/Wrong";
import { useRight } from "../session/me";
import { useSigning } from "../sign/useSigning";
import { says } from "./PadItem";

/** Prepared is an order somebody prepared: signed or given back by the physician,
 * prepared anew or dropped by who prepared it. */
export function Prepared({
  order: o,
  patient,
  change,
  done,
}: {
  order: Schemas["PreparedView"];
  patient: Schemas["PatientView"];
  change: () => void;
  done?: () => void;
}) {
  const client = useQueryClient();
  const maySign = useRight("sign an order") && o.state === "waiting";
  const [asking, setAsking] = useState<"" | "return" | "drop">("");
  const [error, setError] = useState("");
  const { sign, dialog, busy } = useSigning();
  const settled = () => {
    void client.invalidateQueries({ queryKey: ["chart", patient.id] });
    void client.invalidateQueries({ queryKey: ["desk"] });
    done?.();
  };
  const signIt = () =>
    void sign({
      title: "Sign and send the order",
      lines: [
        `${patient.given} ${patient.family}, born ${day(patient.birthDate)}`,
        ...o.tests.map(
          (t) => `${t.name} for ${t.diagnoses.map((d) => d.code).join(", ")}${t.due || t.every > 0 ? `, ${says(t)}` : ""}`,
        ),
      ],
      act: (secret) => got(api.POST("/api/prepared/{id}/sign", { params: { path: { id: o.id } }, body: { secret } })),
      done: settled,
      failed: (e) => setError(say(e)),
    });
  async function back(reason: string) {
    const args = { params: { path: { id: o.id } }, body: { reason } };
    try {
      await got(asking === "drop" ? api.POST("/api/prepared/{id}/drop", args) : api.POST("/api/prepared/{id}/return", args));
      settled();
    } catch (e) {
      setError(say(e));
    }
  }
  useKeys(
    maySign && o.mine
      ? [
          { key: "Alt+s", label: "Sign the prepared order", run: signIt },
          { key: "s", label: "Sign the prepared order", run: signIt },
        ]
      : [],
  );
  return (
    <div className="margin-note mb-5" data-prepared={o.id}>
      <span className="block font-semibold">
        {o.state === "returned" ? "Order given back" : `Order for ${o.for.split(" ")[0]} to sign`}
      </span>
      {o.tests.map((t) => (
        <span key={t.code} className="block">
          {t.name} <span className="text-faded">for {t.diagnoses.map((d) => d.title || d.code).join(", ")}</span>
          {(t.due || t.every > 0) && <span> · {says(t)}</span>}
          {t.answers.map((a) => (
            <span key={a.question} className="block pl-3 text-faded">
              {t.questions.find((q) => q.code === a.question)?.words ?? a.question}: {a.answer.replace("T", " ")}
            </span>
          ))}
          {t.remark && <span className="block pl-3 text-faded">Remark: {t.remark}</span>}
        </span>
      ))}
      <span className="block text-faded">
        prepared by {o.by}, {day(o.at)}, {clock(o.at)}
        {" · "}
        {o.collected ? "specimen drawn then" : o.drawing === "site" ? "drawn at a site of the laboratory" : "to be drawn here"}
        {o.payer.who && ` · ${o.payer.who} pays`}
        {o.copies.length > 0 && ` · copy to ${o.copies.map((c) => (c.patient ? "the patient" : c.name)).join(", ")}`}
      </span>
      {o.state === "returned" && <span className="block text-carried">{o.reason}</span>}
      {asking ? (
        <Why
          label={asking === "drop" ? "Why it is dropped" : "Why it is given back"}
          word={asking === "drop" ? "Drop it" : "Give it back"}
          act={back}
          leave={() => setAsking("")}
        />
      ) : (
        <span className="mt-1 flex flex-wrap gap-x-3">
          {maySign && (
            <button type="button" className="choice py-0.5" disabled={busy} onClick={signIt}>
              Sign and send {o.mine && <KeyCap k="s" />}
            </button>
          )}
          {(maySign || o.own) && (
            <button type="button" className="plain" onClick={change}>
              {maySign ? "Change…" : "Prepare anew…"}
            </button>
          )}
          {maySign && !o.own && (
            <button type="button" className="plain" onClick={() => setAsking("return")}>
              Give back…
            </button>
          )}
          {o.own && (
            <button type="button" className="plain" onClick={() => setAsking("drop")}>
              Drop…
            </button>
          )}
        </span>
      )}
      <Wrong says={error} as="span" className="block" />
      {dialog}
    </div>
  );
}
