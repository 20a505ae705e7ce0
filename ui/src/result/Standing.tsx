import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { clock, day } from "../frame/time";
import { Form } from "../kit/Form";
import { Wrong } from "../kit/Wrong";
import { useRight } from "../session/me";

/** Standing is the clinic's standing permission: what a nurse may sign without asking, by which rule, and what of it waits. */
export function Standing() {
  const standing = useQuery(asks.standing());
  const sets = useRight("give the nurses a standing permission");
  const signs = useRight("sign a result in range by the clinic's rule");
  const permitted = useQuery({ ...asks.permitted(), enabled: signs });
  const s = standing.data;
  return (
    <main id="page" className="min-h-0 flex-1 overflow-auto bg-leaf px-10 py-5 max-phone:px-4">
      <h1 className="text-page">Results that a nurse may sign</h1>
      <p className="small mb-4 max-w-[70ch]">
        Only a final report, first issue, of the tests named here, each value in range by the laboratory's flag and by its range,
        with nothing remarked, nothing critical and nothing to read. Whatever is not certain stays with the physician. The rule is
        sealed with each signature under it.
      </p>
      {standing.error && <Wrong says={say(standing.error)} />}
      {s && (
        <p className={`mb-4 ${s.on ? "" : "font-semibold"}`}>
          {s.on ? `On, by ${s.by}, ${s.at && day(s.at)}.` : "Off: nurses sign no results."}
        </p>
      )}
      {s && sets && <Change key={s.at} at={s} />}
      {s && !sets && s.on && (
        <section aria-label="The rule" className="mb-5 max-w-[70ch]">
          <p className="font-serif text-read whitespace-pre-line">{s.rule}</p>
          <p className="small">{s.tests.map((t) => t.name).join(", ")}</p>
        </section>
      )}
      {signs && s?.on && (
        <section aria-label="What waits">
          <h2 className="text-title">What waits and may be signed</h2>
          {permitted.error && <Wrong says={say(permitted.error)} />}
          {permitted.data?.length === 0 && <p className="small">Nothing of your team that the rule allows.</p>}
          <ul className="max-w-[760px]">
            {(permitted.data ?? []).map((r) => (
              <li key={r.id} className="flex flex-wrap items-baseline gap-x-4 border-b border-rule py-1.5">
                <Link to={`/desk/report/${r.id}`} className="min-w-0 flex-1 hover:underline">
                  <b>
                    {r.patient.family}, {r.patient.given}
                  </b>{" "}
                  {r.title}, all {r.inRange} in range
                </Link>
                <span className="small">
                  {r.owner} · {day(r.receivedAt)}, {clock(r.receivedAt)}
                </span>
              </li>
            ))}
          </ul>
        </section>
      )}
    </main>
  );
}

function Change({ at }: { at: Schemas["StandingView"] }) {
  const client = useQueryClient();
  const [on, setOn] = useState(at.on);
  const [rule, setRule] = useState(at.rule);
  const [tests, setTests] = useState(at.tests.map((t) => `${t.loinc} ${t.name}`).join("\n"));
  const [error, setError] = useState("");
  async function keep() {
    setError("");
    const named = tests
      .split("\n")
      .map((l) => l.trim())
      .filter((l) => l !== "")
      .map((l) => ({ loinc: l.split(/\s+/)[0] ?? "", name: l.split(/\s+/).slice(1).join(" ") }));
    try {
      await got(api.PUT("/api/standing-permission", { body: { on, rule, tests: named } }));
      await client.invalidateQueries({ queryKey: ["standing"] });
    } catch (e) {
      setError(say(e));
    }
  }
  return (
    <Form act={keep} className="mb-6 max-w-[70ch]">
      <label className="label block">
        The rule, in the clinic's words
        <textarea rows={4} className="box font-serif text-read text-ink" value={rule} onChange={(e) => setRule(e.target.value)} />
      </label>
      <label className="label mt-2 block">
        Tests, a line each: LOINC code and name
        <textarea rows={5} className="box font-mono text-ink" value={tests} onChange={(e) => setTests(e.target.value)} />
      </label>
      <label className="mt-2 flex items-baseline gap-2">
        <input type="checkbox" className="size-4 accent-kelp" checked={on} onChange={(e) => setOn(e.target.checked)} />
        Nurses sign by this rule
      </label>
      <Wrong says={error} />
      <button type="submit" className="choice mt-2">
        Keep it, in my name
      </button>
    </Form>
  );
}
