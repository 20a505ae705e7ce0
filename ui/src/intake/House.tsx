import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { clock } from "../frame/time";
import { Form, Why } from "../kit/Form";
import { SearchList } from "../kit/SearchList";
import { unit } from "../kit/unit";
import { Wrong } from "../kit/Wrong";
import type { Acts } from "./useIntake";
import { box, Field, type Vaccine, VaccineForm } from "./VaccineForm";

type Test = Schemas["HouseTestView"];
type Found = { id: string; name: string; under: string; test?: Test; vaccine?: Vaccine };

const found = (h: Schemas["HouseView"]): Found[] => [
  ...h.tests.map((t) => ({ id: t.code, name: t.name, under: `test, ${t.specimen}`, test: t })),
  ...h.vaccines.map((v) => ({ id: v.cvx, name: v.name, under: `vaccine, ${v.route}`, vaccine: v })),
];

/** House is where tests done in the practice are entered and vaccines given are recorded. */
export function House({ view, acts, visit }: { view: Schemas["IntakeView"]; acts: Acts; visit: string }) {
  const client = useQueryClient();
  const [query, setQuery] = useState("");
  const [chosen, setChosen] = useState<Found | null>(null);
  const [corrects, setCorrects] = useState<Schemas["HouseDone"] | null>(null);
  const [striking, setStriking] = useState("");
  const input = useRef<HTMLInputElement>(null);
  function choose(f: Found) {
    setCorrects(null);
    setChosen(f);
    setQuery((now) => (now === query ? "" : now)); // what was typed meanwhile is the next search
  }
  async function correct(d: Schemas["HouseDone"]) {
    const all = await client.fetchQuery(asks.house(""));
    const test = all.tests.find((t) => t.code === d.test);
    if (!test) return;
    setCorrects(d);
    setChosen({ id: test.code, name: test.name, under: "", test: { ...test, last: d.kit } });
  }
  function close() {
    setChosen(null);
    setCorrects(null);
    input.current?.focus();
  }
  useKeys([
    { key: "Alt+t", label: "Enter a test or a vaccine", run: () => input.current?.focus() },
    { key: "t", label: "Enter a test or a vaccine", run: () => input.current?.focus() },
  ]);
  return (
    <section aria-label="Tests and vaccines" className="mt-4 border-t-2 border-rule pt-3">
      <div className="flex flex-wrap items-baseline gap-3">
        <h2 className="text-title">
          Tests done here, vaccines given <KeyCap k="t" />
        </h2>
        <div className="relative w-80">
          <SearchList
            label="Test done here, or vaccine given"
            placeholder="strep, dipstick, tdap…"
            input={input}
            query={query}
            setQuery={setQuery}
            search={asks.house}
            hits={(h) => found(h).slice(0, 8)}
            id={(f) => f.id + f.under}
            choose={choose}
            none="Not done here."
            floats
          >
            {(f) => (
              <>
                {f.name} <span className="small">{f.under}</span>
              </>
            )}
          </SearchList>
        </div>
      </div>
      {chosen?.test && (
        <TestForm test={chosen.test} corrects={corrects} acts={acts} visit={visit} close={close} key={chosen.id} />
      )}
      {chosen?.vaccine && (
        <VaccineForm vaccine={chosen.vaccine} recorded={acts.set} visit={visit} close={close} key={chosen.id} />
      )}
      <ul className="mt-1 text-aside">
        {view.tests.map((d) => (
          <li key={d.report} className="border-b border-rule py-1">
            <span className={d.flagged ? "font-semibold" : ""}>{d.words}</span>{" "}
            <span className="text-faded">
              {d.flagged && "abnormal · "}kit {d.kit.lot} · {d.by}, {clock(d.at)}
              {d.status === "corrected" && " · corrected"}
              {d.signed && " · signed"}
            </span>{" "}
            <button type="button" className="plain py-0" onClick={() => void correct(d)}>
              Correct…
            </button>
          </li>
        ))}
        {view.vaccines.map((v) => (
          <li key={v.id} className="flex flex-wrap items-baseline gap-2 border-b border-rule py-1">
            <span>
              {v.name}, {v.given.dose}, {v.given.site}{" "}
              <span className="text-faded">
                {v.given.maker}, lot {v.given.lot} · {v.by}, {clock(v.at)}
              </span>
            </span>
            {striking === v.id ? (
              <Why
                label={`Why ${v.name} is struck`}
                word="Strike"
                act={(reason) =>
                  acts
                    .run(() =>
                      got(
                        api.POST("/api/visits/{id}/vaccines/strike", {
                          params: { path: { id: visit } },
                          body: { id: v.id, reason },
                        }),
                      ),
                    )
                    .then((ok) => ok && setStriking(""))
                }
                leave={() => setStriking("")}
              />
            ) : (
              <button type="button" className="plain py-0" onClick={() => setStriking(v.id)}>
                Strike…
              </button>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}

function TestForm({
  test,
  corrects,
  acts,
  visit,
  close,
}: {
  test: Test;
  corrects: Schemas["HouseDone"] | null;
  acts: Acts;
  visit: string;
  close: () => void;
}) {
  const [values, setValues] = useState<Record<string, string>>(corrects?.values ?? {});
  const [kit, setKit] = useState({ lot: test.last.lot, expires: test.last.expires });
  const [control, setControl] = useState<"" | "valid" | "not valid">("");
  const [error, setError] = useState("");
  const id = useRef(crypto.randomUUID()); // one act, however often it is sent
  const form = useRef<HTMLFormElement>(null);
  useEffect(() => form.current?.querySelector<HTMLInputElement>("input")?.focus(), []);
  const put = (code: string, text: string) => setValues({ ...values, [code]: text });
  async function enter() {
    if (control === "") return setError("Say whether the control was valid.");
    try {
      acts.set(
        await got(
          api.POST("/api/visits/{id}/tests", {
            params: { path: { id: visit } },
            body: { id: id.current, test: test.code, values, kit, control, corrects: corrects?.report ?? "" },
          }),
        ),
      );
      close();
    } catch (x) {
      setError(say(x));
    }
  }
  return (
    <Form ref={form} aria-label={test.name} className={box} act={enter} leave={close}>
      <h3 className="font-sans text-line font-semibold">
        {test.name} {corrects && <span className="text-carried">corrects what was entered</span>}
      </h3>
      <div className="mt-1 flex flex-wrap gap-x-6 gap-y-2">
        {test.analytes.map((a) =>
          a.choices.length > 0 ? (
            <fieldset key={a.code}>
              <legend className="label">{a.name}</legend>
              {a.choices.map((c) => (
                <label key={c} className="mr-3 inline-flex min-h-6 items-center gap-1">
                  <input
                    type="radio"
                    className="size-4 accent-kelp"
                    name={a.code}
                    checked={values[a.code] === c}
                    onChange={() => put(a.code, c)}
                  />
                  {c}
                </label>
              ))}
            </fieldset>
          ) : (
            <Field
              key={a.code}
              label={`${a.name} ${unit(a.unit)}`}
              hint={`${a.least} to ${a.most}`}
              value={values[a.code] ?? ""}
              set={(v) => put(a.code, v)}
            />
          ),
        )}
      </div>
      <div className="mt-2 flex flex-wrap items-end gap-x-6 gap-y-2">
        <Field label="Kit lot" value={kit.lot} set={(lot) => setKit({ ...kit, lot })} />
        <Field label="Kit expires" hint="2027-06-30" value={kit.expires} set={(expires) => setKit({ ...kit, expires })} />
        <fieldset>
          <legend className="label">Control</legend>
          {(["valid", "not valid"] as const).map((c) => (
            <label key={c} className="mr-3 inline-flex min-h-6 items-center gap-1">
              <input
                type="radio"
                className="size-4 accent-kelp"
                name="control"
                checked={control === c}
                onChange={() => setControl(c)}
              />
              {c}
            </label>
          ))}
        </fieldset>
        <button type="submit" className="choice">
          {corrects ? "Enter the correction" : "Enter the result"} <KeyCap k="Enter" />
        </button>
        <button type="button" className="plain" onClick={close}>
          Leave it
        </button>
      </div>
      <Wrong says={error} className="mt-1" />
    </Form>
  );
}
