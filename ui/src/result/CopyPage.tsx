import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { asks } from "../exchange/asks";
import { api, got, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { clock, day } from "../frame/time";
import { portal, Whose } from "../kit/Whose";
import { Wrong } from "../kit/Wrong";
import { useClose } from "../line/useClose";
import { ReportBody } from "./ReportBody";

/** CopyPage is a result that somebody else answers for, with a copy to one of us, who reads it and may add to it. */
export function CopyPage({ id, next }: { id: string; next: string }) {
  const copy = useQuery(asks.copy(id));
  const c = copy.data;
  const report = useQuery({
    queryKey: ["report", c?.report],
    enabled: !!c,
    queryFn: () => got(api.GET("/api/reports/{id}", { params: { path: { id: c?.report ?? "" } } })),
  });
  const [says, setSays] = useState("");
  const { close, error } = useClose(next, c?.patient.id);
  const read = () =>
    void close(
      () => got(api.POST("/api/copies/{id}/read", { params: { path: { id } }, body: { says } })),
      () => setSays(""),
    );
  useKeys(c?.state === "open" ? [{ key: "Ctrl+Enter", label: "Read, and the next", run: read }] : []);
  if (copy.error) return <p className="p-8">{say(copy.error)}</p>;
  if (!c) return <main id="page" className="flex-1 bg-leaf" />;
  return (
    <>
      <main id="page" className="min-h-0 min-w-0 flex-1 overflow-auto bg-leaf px-6 py-4">
        <Whose patient={c.patient} also={portal(c.patient)} />
        {report.data && <ReportBody report={report.data} whys={false} />}
        {report.error && <p className="small">{say(report.error)}</p>}
      </main>
      <aside aria-label="Copy" className="w-[320px] shrink-0 overflow-auto border-l border-rule px-4 py-4 max-wide:w-full">
        <h2 className="label">A copy for {c.to}</h2>
        <p className="mt-1">
          {c.from ? `Ordered by ${c.from}.` : "Who ordered it is not said."} {c.answers || "Nobody"} answers for it here; reading
          it signs nothing.
        </p>
        {c.outdated && <p className="mt-1 font-semibold text-carried">The laboratory has sent another issue since.</p>}
        {c.state === "open" ? (
          <>
            <label className="label mt-4 block">
              Added for the chart, if anything
              <textarea
                autoFocus
                rows={4}
                className="box mt-1 border-kelp font-serif text-title-s text-ink"
                value={says}
                onChange={(e) => setSays(e.target.value)}
              />
            </label>
            <Wrong says={error} className="my-2 min-h-[21px] text-aside" />
            <button type="button" className="act" onClick={read}>
              Read, and next <KeyCap k="Ctrl+Enter" />
            </button>
          </>
        ) : (
          <p className="margin-note mt-4">
            Read by <b>{c.readBy}</b>, {c.readAt && `${day(c.readAt)}, ${clock(c.readAt)}`}
            {c.says && <span className="block">{c.says}</span>}
          </p>
        )}
      </aside>
    </>
  );
}
