import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api, got, say } from "../exchange/client";
import { useKeys } from "../frame/keys";
import { Why } from "../kit/Form";
import { portal, Whose } from "../kit/Whose";
import { Wrong } from "../kit/Wrong";
import { Gather } from "../printing/Gather";
import { useRight } from "../session/me";
import { Beside } from "./Beside";
import { Packet } from "./Packet";
import { Released } from "./Release";
import { ReportBody } from "./ReportBody";

/** Report is one result on the page: with its decision in the margin while it waits, read only after that. */
export function Report({ id, next }: { id: string; next: string }) {
  const go = useNavigate();
  const client = useQueryClient();
  const maySign = useRight("sign a result");
  const mayMatch = useRight("say whose a result is");
  const opened = useRef(false);
  const report = useQuery({
    queryKey: ["report", id],
    queryFn: () => {
      const refresh = opened.current;
      opened.current = true;
      return got(api.GET("/api/reports/{id}", { params: { path: { id } }, headers: refresh ? { "X-Refresh": "1" } : {} }));
    },
  });
  const [whys, setWhys] = useState(false);
  const [error, setError] = useState("");
  const [leaving, setLeaving] = useState(false);
  const r = report.data;
  const waits = !!r && !r.signed && !r.gone && !r.waits && maySign;
  useKeys(
    !waits && r?.values.some((v) => v.change)
      ? [{ key: "Alt+h", label: "Why a change is one", run: () => setWhys((was) => !was) }]
      : [],
  );
  if (report.error) return <p className="p-8">{say(report.error)}</p>;
  if (!r) return <main id="page" className="flex-1 bg-leaf" />;
  const leave = mayMatch && r.fromLab && !r.gone && (
    <div className="mt-8 border-t border-rule pt-3">
      {leaving ? (
        <Why
          label="Why it is not this patient's"
          says="Why it is not this patient's"
          word="Take it out of this chart"
          act={async (reason) => {
            try {
              await got(api.POST("/api/reports/{id}/detach", { params: { path: { id } }, body: { reason } }));
              await client.invalidateQueries();
              go(next);
            } catch (e) {
              setError(say(e));
            }
          }}
          leave={() => setLeaving(false)}
        />
      ) : (
        <button type="button" className="plain" onClick={() => setLeaving(true)}>
          Not this patient's…
        </button>
      )}
      <Wrong says={error} className="mt-2 text-aside" />
    </div>
  );
  if (waits) return <Packet id={r.patient.id} only={id} next={next} more={leave} />;
  return (
    <>
      <main
        id="page"
        className="min-h-0 min-w-0 flex-1 overflow-auto bg-leaf px-6 py-4 max-wide:flex-none max-wide:overflow-visible"
      >
        <Whose patient={r.patient} also={portal(r.patient)} />
        <ReportBody report={r} whys={whys} setWhys={() => setWhys(!whys)} />
      </main>
      <aside
        aria-label="Review"
        className="w-[300px] shrink-0 overflow-auto border-l border-rule px-4 py-4 max-wide:w-full max-wide:border-l-0"
      >
        <p className="small">
          {r.signed
            ? "Signed and closed."
            : r.waits
              ? "Nothing to sign yet: the final report closes this line."
              : r.gone
                ? "Nothing to sign here."
                : `${r.owner} answers for this line; a physician closes it.`}
        </p>
        {!r.gone && (
          <p className="mt-3">
            <Gather
              word="Gather for printing"
              reports={[
                {
                  id: r.id,
                  title: r.title,
                  at: r.collectedAt,
                  of: `${r.patient.given} ${r.patient.family}`,
                  patient: r.patient.id,
                },
              ]}
            />
          </p>
        )}
        <Beside of={r.beside} unread={r.unread} />
        <Released reports={[r]} />
        {leave}
      </aside>
    </>
  );
}
