import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { useAct } from "../exchange/act";
import { asks } from "../exchange/asks";
import { api, got, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { moment } from "../kit/Course";
import { Whose } from "../kit/Whose";
import { Wrong } from "../kit/Wrong";
import { useRight } from "../session/me";
import { Agreement } from "./Agreement";
import { AtExchange, NotHers } from "./AtExchange";
import { GiveOut } from "./GiveOut";
import { Held } from "./Held";
import type { Act, Direction, Page, Says } from "./page";
import { Sources } from "./Sources";

const upper = (s: string) => s.slice(0, 1).toUpperCase() + s.slice(1);

/** Sharing is what a patient agrees to share with other houses, whom they are at the exchange, where they were seen, and what was given
 * out. */
export function Sharing() {
  const id = useParams().id ?? "";
  const page = useQuery(asks.sharing(id));
  if (page.error) return <p className="p-8">{say(page.error)}</p>;
  if (!page.data) return <main id="page" className="flex-1 bg-leaf" />;
  return <Open key={id} id={id} v={page.data} />;
}

function Open({ id, v }: { id: string; v: Page }) {
  const client = useQueryClient();
  const go = useNavigate();
  const mayGive = useRight("give a chart out");
  const [saying, setSaying] = useState<Direction | "">("");
  const [giving, setGiving] = useState(false);
  const [busy, setBusy] = useState(false);
  const { act: inTurn, error } = useAct(`sharing ${id}`);
  const params = { params: { path: { id } } };
  const { queryKey } = asks.sharing(id);
  const act: Act = async (call) => {
    setBusy(true);
    const done = await inTurn(async () => {
      const now = await call();
      if (now) client.setQueryData(queryKey, now);
      else await client.invalidateQueries({ queryKey });
      void client.invalidateQueries({ queryKey: ["desk"] });
      void client.invalidateQueries({ queryKey: ["records", id] });
      return true;
    });
    setBusy(false);
    return done === true;
  };
  const ask = () => act(() => got(api.POST("/api/patients/{id}/sharing/link", params)));
  const fetchThem = () => act(() => got(api.POST("/api/patients/{id}/sharing/documents", params)));
  const asked = v.sources.find((s) => !s.says);
  const wasThere = (record: string, word: Says, words = "") =>
    act(async () => {
      await got(api.POST("/api/records/{id}/source", { params: { path: { id: record } }, body: { says: word, words } }));
      return undefined;
    });
  const agreed = v.in?.given || v.out?.given;
  const mayAsk = !!v.exchange && agreed && v.link.state !== "linked";
  const mayFetch = !!v.exchange && !!v.in?.given && v.link.state === "linked";
  useKeys([
    { key: "i", label: "Say whether records come in", run: () => setSaying("in") },
    { key: "o", label: "Say whether the chart goes out", run: () => setSaying("out") },
    { key: "r", label: "Registration", run: () => go(`/patients/${id}/registration`) },
    ...(asked ? [{ key: "y", label: `Was at ${asked.house}`, run: () => void wasThere(asked.ask, "confirmed") }] : []),
    ...(mayAsk ? [{ key: "l", label: "Ask the exchange who this is", run: () => void ask() }] : []),
    ...(mayFetch ? [{ key: "d", label: "Fetch documents", run: () => void fetchThem() }] : []),
    ...(mayGive
      ? [
          { key: "g", label: "Give a copy out", run: () => setGiving(true) },
          { key: "e", label: "Records from elsewhere", run: () => go(`/patients/${id}/records`) },
        ]
      : []),
  ]);
  return (
    <div className="flex min-h-0 flex-1 max-wide:flex-col max-wide:overflow-auto">
      <main
        id="page"
        className="min-h-0 min-w-0 flex-1 overflow-auto bg-leaf px-10 py-5 max-wide:flex-none max-wide:overflow-visible max-phone:px-4"
      >
        <Whose patient={v.patient} />
        <div className="mb-2 flex max-w-[900px] flex-wrap items-baseline gap-x-4">
          <h2 className="flex-1 text-title">Shared with other houses</h2>
          <Link className="plain px-0" to={`/patients/${id}/registration`}>
            Registration <KeyCap k="r" />
          </Link>
        </div>
        <Wrong says={error} />
        <div className="grid max-w-[900px] grid-cols-2 gap-x-10 max-phone:grid-cols-1">
          {(["in", "out"] as const).map((d) => (
            <Agreement key={d} v={v} direction={d} saying={saying === d} say={setSaying} act={act} ask={() => void ask()} />
          ))}
        </div>
        <section className="mt-5 max-w-[900px]" aria-label="At the exchange">
          <h3 className="border-b border-rule pb-1 text-title-s font-semibold">At {v.exchange || "an exchange"}</h3>
          {!v.exchange ? (
            <p className="small mt-2">No exchange is connected; an administrator connects one.</p>
          ) : (
            <AtExchange
              v={v}
              act={act}
              busy={busy}
              ask={mayAsk ? () => void ask() : undefined}
              fetchThem={mayFetch ? () => void fetchThem() : undefined}
            />
          )}
          {v.problems.map((p) => (
            <p key={p} role="status" className="margin-note my-2 border-carried">
              {p}
            </p>
          ))}
          {v.untaken.map((u) => (
            <NotHers key={u.document} id={id} u={u} act={act} />
          ))}
        </section>
        <Sources v={v} first={asked?.house} says={wasThere} />
        {mayGive && <Held id={id} today={v.today} given={v.patient.given} />}
        <section className="mt-6 max-w-[900px]" aria-label="Given out">
          <h3 className="border-b border-rule pb-1 text-title-s font-semibold">Given out</h3>
          {v.given.length === 0 && <p className="small mt-2">No copy of this chart was given out.</p>}
          <ul>
            {v.given.map((g) => (
              <li key={g.id} className="border-b border-rule py-1.5 text-aside">
                <b>
                  {g.whom === "patient" ? "The patient" : g.whom === "exchange" ? upper(v.exchange || "the exchange") : g.name}
                </b>
                : {g.says}{" "}
                <span className="text-faded">
                  as {g.form}, {moment(g.at)}, by {g.by}
                  {g.why && `, for ${g.why}`}
                </span>
                {g.state && g.state !== "accepted" && (
                  <span className={g.state === "refused" ? "font-semibold text-alarm" : "font-semibold text-carried"}>
                    {" "}
                    {g.state === "waiting" ? "on its way" : g.state === "refused" ? `not taken: ${g.error}` : "taken back"}
                  </span>
                )}
              </li>
            ))}
          </ul>
        </section>
      </main>
      {mayGive && (
        <aside
          aria-label="Give a copy out"
          className="w-[332px] shrink-0 overflow-auto border-l border-rule px-4 py-5 text-aside max-wide:w-full"
        >
          {giving ? (
            <GiveOut id={id} v={v} leave={() => setGiving(false)} />
          ) : (
            <>
              <h3 className="text-title-s font-semibold">A copy of the chart</h3>
              <p className="my-2">
                To the patient always; to somebody else or the exchange only while the patient agrees. Every copy is listed here.
              </p>
              <button type="button" className="act" onClick={() => setGiving(true)}>
                Give a copy out <KeyCap k="g" />
              </button>
              <p className="mt-4">
                <Link className="plain px-0" to={`/patients/${id}/records`}>
                  Records from elsewhere <KeyCap k="e" />
                </Link>
              </p>
            </>
          )}
        </aside>
      )}
    </div>
  );
}
