import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { asks } from "../exchange/asks";
import { type Schemas, say } from "../exchange/client";
import { Wrong } from "../kit/Wrong";
import { Holding } from "../result/Release";
import { useRight } from "../session/me";
import { AskAfter } from "./AskAfter";
import { OnPaper } from "./OnPaper";
import { OrderPad } from "./OrderPad";
import { OrderRow } from "./OrderRow";
import type { Item } from "./pad";

const changeable = ["planned", "to be drawn", "signed, not sent", "received by the laboratory", "refused"];
const awaited = ["planned", "to be drawn", "signed, not sent", "received by the laboratory", "in process", "partial"];

/** OrderPage is an order under way, opened from the desk. */
export function OrderPage({ id }: { id: string }) {
  const client = useQueryClient();
  const opened = useQuery(asks.order(id));
  const [again, setAgain] = useState<Item[] | null>(null);
  const [error, setError] = useState("");
  const may = useRight("sign an order");
  const o = opened.data;
  // The tests as the list offers them today, with what was said of them.
  const [holding, setHolding] = useState(false);
  const maySign = useRight("sign a result");
  async function correct(was: Schemas["OrderView"]) {
    const items: Item[] = [];
    for (const t of was.tests) {
      const found = await client.fetchQuery(asks.tests(t.code));
      const test = found.find((x) => x.code === t.code && (!was.party || x.laboratory === was.party));
      if (test)
        items.push({
          test,
          diagnoses: t.diagnoses.map((d) => d.code),
          answers: Object.fromEntries((t.answers ?? []).map((a) => [a.question, a.answer])),
          remark: t.remark,
        });
      else setError(`${t.name} is no longer offered.`);
    }
    setAgain(items);
  }
  return (
    <>
      <main id="page" className="min-w-0 flex-1 overflow-auto bg-leaf px-6 py-5">
        {opened.error && <p className="small">{say(opened.error)}</p>}
        {o && (
          <>
            <h1 className="mb-3 text-page">
              <Link to={`/patients/${o.patient.id}`}>
                {o.patient.given} {o.patient.family}
              </Link>
            </h1>
            <OrderRow order={o.order} whole />
            <AskAfter row={o} />
            <OnPaper order={o.order} patient={o.patient} />
            {may && changeable.includes(o.order.state) && (
              <button type="button" className="plain text-small" onClick={() => void correct(o.order)}>
                {o.order.state === "refused"
                  ? "Correct it and order again"
                  : "Change it: this one is cancelled, and ordered anew…"}
              </button>
            )}
            {maySign && o.patient.usesPortal && awaited.includes(o.order.state) && (
              <div className="mt-4 max-w-[60ch]">
                {holding ? (
                  <Holding
                    of={{ order: o.order.id }}
                    title="What this order brings"
                    done={() => setHolding(false)}
                    leave={() => setHolding(false)}
                  />
                ) : (
                  <button type="button" className="plain px-0 text-small" onClick={() => setHolding(true)}>
                    Hold its results back from the portal…
                  </button>
                )}
              </div>
            )}
            <Wrong says={error} />
          </>
        )}
      </main>
      {o && again && (
        <OrderPad
          again={{ order: o.order, items: again }}
          patient={o.patient}
          visitId={o.order.visitId || undefined}
          diagnoses={o.order.tests
            .flatMap((t) => t.diagnoses)
            .filter((x, i, all) => all.findIndex((y) => y.code === x.code) === i)}
          close={() => setAgain(null)}
        />
      )}
    </>
  );
}
