import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { useAct } from "../exchange/act";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { clock, day } from "../frame/time";
import { Why } from "../kit/Form";
import { Wrong } from "../kit/Wrong";

/** useReview says of an opened chart whether it was right. */
function useReview(id: string, done: () => void) {
  const client = useQueryClient();
  const { act, error } = useAct(`opening ${id}`);
  const review = async (verdict: "was right" | "to be followed up", remark: string) => {
    const ok = await act(async () => {
      await got(api.POST("/api/openings/{id}/review", { params: { path: { id } }, body: { verdict, remark } }));
      return true;
    });
    if (!ok) return;
    await Promise.all([
      client.invalidateQueries({ queryKey: ["desk"] }),
      client.invalidateQueries({ queryKey: ["openings"] }),
      client.invalidateQueries({ queryKey: ["chart"] }),
    ]);
    done();
  };
  return { review, error };
}

/** Reviewing asks somebody whether an opened chart was opened rightly. */
export function Reviewing({
  opening: o,
  done,
  keys = false,
}: {
  opening: Schemas["OpeningView"];
  done: () => void;
  keys?: boolean;
}) {
  const [following, setFollowing] = useState(false);
  const { review, error } = useReview(o.id, done);
  useKeys(
    keys && o.mayReview && !following
      ? [{ key: "y", label: "Opening it was right", run: () => void review("was right", "") }]
      : [],
  );
  if (!o.mayReview)
    return (
      <span className="text-faded">
        {o.reviewedBy ? `${o.verdict}, ${o.reviewedBy}` : `Somebody else than ${o.by} looks at it.`}
      </span>
    );
  if (following)
    return (
      <Why
        label={`How the opening by ${o.by} is followed up`}
        says="How it is followed up"
        word="Close the line"
        act={(remark) => review("to be followed up", remark)}
        leave={() => setFollowing(false)}
      />
    );
  return (
    <span className="flex flex-wrap items-baseline gap-3">
      <button type="button" className={keys ? "act" : "choice px-2 py-0.5 text-small"} onClick={() => review("was right", "")}>
        It was right {keys && <KeyCap k="y" />}
      </button>
      <button type="button" className="plain py-0" onClick={() => setFollowing(true)}>
        To be followed up…
      </button>
      <Wrong as="span" says={error} />
    </span>
  );
}

/** OpeningPage is a chart that somebody opened with a reason, to be looked at by somebody else. */
export function OpeningPage({ id, next }: { id: string; next: string }) {
  const go = useNavigate();
  const opening = useQuery(asks.opening(id));
  const o = opening.data;
  if (!o)
    return (
      <main id="page" className="small min-w-0 flex-1 bg-leaf p-8">
        {opening.error ? say(opening.error) : ""}
      </main>
    );
  return (
    <main id="page" className="min-w-0 flex-1 overflow-auto bg-leaf px-6 py-5">
      <h1 className="mb-1 text-page">
        {o.patient.given} {o.patient.family}{" "}
        <span className="small font-sans font-normal">
          born {day(o.patient.birthDate)}, {o.patient.record}
        </span>
      </h1>
      <p className="small mb-4">
        {o.by} opened this chart on {day(o.at)}, {clock(o.at)}; it is open to them until {day(o.until)}, {clock(o.until)}
      </p>
      <p className="mb-5 max-w-[60ch] font-serif text-title">{o.reason}</p>
      <Reviewing opening={o} done={() => go(next)} keys />
    </main>
  );
}
