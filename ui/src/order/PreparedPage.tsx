import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { asks } from "../exchange/asks";
import { say } from "../exchange/client";
import { Whose } from "../kit/Whose";
import { OrderPad } from "./OrderPad";
import { Prepared } from "./Prepared";

/** PreparedPage is an order that waits for a signature, opened from the desk. */
export function PreparedPage({ id, next }: { id: string; next: string }) {
  const go = useNavigate();
  const [changing, setChanging] = useState(false);
  const opened = useQuery(asks.prepared(id));
  const o = opened.data;
  const settled = o && o.order.state !== "waiting" && o.order.state !== "returned";
  return (
    <>
      <main id="page" className="min-w-0 flex-1 overflow-auto bg-leaf px-6 py-5">
        {opened.error && <p className="small">{say(opened.error)}</p>}
        {settled && <p className="small p-2">This order was signed, given back or dropped.</p>}
        {o && !settled && (
          <>
            <Whose patient={o.patient} />
            <div className="mt-3 max-w-[560px]">
              <Prepared order={o.order} patient={o.patient} change={() => setChanging(true)} done={() => go(next)} />
            </div>
          </>
        )}
      </main>
      {o && changing && (
        <OrderPad
          from={o.order}
          patient={o.patient}
          diagnoses={o.order.tests
            .flatMap((t) => t.diagnoses)
            .filter((x, i, all) => all.findIndex((y) => y.code === x.code) === i)}
          close={() => setChanging(false)}
        />
      )}
    </>
  );
}
