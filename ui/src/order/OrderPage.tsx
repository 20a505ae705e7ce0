import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { asks } from "../exchange/asks";
import { say } from "../exchange/client";
import { useRight } from "../session/session";
import { OrderComposer } from "./OrderComposer";
import { OrderRow } from "./OrderRow";

/** OrderPage is an order under way, opened from the desk. */
export function OrderPage({ id }: { id: string }) {
  const opened = useQuery(asks.order(id));
  const [again, setAgain] = useState(false);
  const may = useRight("sign an order");
  const o = opened.data;
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
            <OrderRow order={o.order} />
            {may && o.order.state === "refused" && (
              <button type="button" className="plain text-small" onClick={() => setAgain(true)}>
                Correct it and order again
              </button>
            )}
          </>
        )}
      </main>
      {o && again && (
        <OrderComposer
          again={o.order}
          patient={o.patient}
          visitId={o.order.visitId || undefined}
          diagnoses={o.order.tests
            .flatMap((t) => t.diagnoses)
            .filter((x, i, all) => all.findIndex((y) => y.code === x.code) === i)}
          close={() => setAgain(false)}
        />
      )}
    </>
  );
}
