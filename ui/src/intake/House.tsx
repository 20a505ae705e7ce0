import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { unit } from "../chart/Spine";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { clock } from "../frame/time";
import { Form, Why } from "../kit/Form";
import { SearchList } from "../kit/SearchList";
import { Wrong } from "../kit/Wrong";
import type { Acts } from "./useIntake";

type Test = Schemas["HouseTestView"];
type Vaccine = Schemas["VaccineView"];
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
      {chosen?.vaccine && <VaccineForm vaccine={chosen.vaccine} acts={acts} visit={visit} close={close} key={chosen.id} />}
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

function Field({
  label,
  value,
  set,
  hint,
  first,
}: {
  label: string;
  value: string;
  set: (v: string) => void;
  hint?: string;
  first?: boolean;
}) {
  return (
    <label className="label">
      <span className="block">{label}</span>
      <input
        autoFocus={first}
        className="field w-32 py-0.5 text-ink"
        placeholder={hint}
        value={value}
        onChange={(e) => set(e.target.value)}
      />
    </label>
  );
}

const box = "my-2 border border-edge p-3 text-aside";

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

function VaccineForm({ vaccine: v, acts, visit, close }: { vaccine: Vaccine; acts: Acts; visit: string; close: () => void }) {
  const [given, setGiven] = useState<Schemas["Given"]>({
    cvx: v.cvx,
    maker: v.last.maker,
    lot: v.last.lot,
    expires: v.last.expires,
    dose: v.dose,
    route: v.route,
    site: "",
    sheet: v.last.sheet,
  });
  const [questions, setQuestions] = useState<string[]>([]);
  const [error, setError] = useState("");
  const id = useRef(crypto.randomUUID());
  const put = (change: Partial<Schemas["Given"]>) => {
    setGiven({ ...given, ...change });
    setQuestions([]);
  };
  async function give(confirmed: boolean) {
    try {
      const out = await got(
        api.POST("/api/visits/{id}/vaccines", { params: { path: { id: visit } }, body: { id: id.current, given, confirmed } }),
      );
      setError("");
      if (!out.intake) return setQuestions(out.questions);
      acts.set(out.intake);
      close();
    } catch (x) {
      setError(say(x));
    }
  }
  return (
    <Form aria-label={v.name} className={box} act={() => give(questions.length > 0)} leave={close}>
      <h3 className="font-sans text-line font-semibold">
        {v.name} <span className="font-normal text-faded">{v.route}</span>
      </h3>
      <div className="mt-1 flex flex-wrap items-end gap-x-6 gap-y-2">
        <label className="label">
          Site
          <select
            autoFocus
            className="mt-0.5 block rounded-[3px] border border-edge bg-leaf px-1 py-1 font-normal text-ink"
            value={given.site}
            onChange={(e) => put({ site: e.target.value })}
          >
            <option value="">choose</option>
            {v.sites.map((s) => (
              <option key={s}>{s}</option>
            ))}
          </select>
        </label>
        <Field label="Dose" value={given.dose} set={(dose) => put({ dose })} />
        <Field label="Maker" value={given.maker} set={(maker) => put({ maker })} />
        <Field label="Lot" value={given.lot} set={(lot) => put({ lot })} />
        <Field label="Expires" hint="2027-06-30" value={given.expires} set={(expires) => put({ expires })} />
        <Field label="Information sheet of" hint="2025-01-31" value={given.sheet} set={(sheet) => put({ sheet })} />
        {questions.length === 0 && (
          <button type="submit" className="choice">
            Record as given <KeyCap k="Enter" />
          </button>
        )}
        <button type="button" className="plain" onClick={close}>
          Leave it
        </button>
      </div>
      {v.last.lot && given.lot === v.last.lot && (
        <p className="mt-1 text-faded">Maker, lot and sheet are those of the dose given last: compare them with the package.</p>
      )}
      {questions.length > 0 && (
        <div role="alert" className="mt-2 border-l-[3px] border-carried pl-2">
          {questions.map((q) => (
            <p key={q} className="font-semibold text-carried">
              {q}
            </p>
          ))}
          <button type="submit" className="choice mt-1">
            It is right, record it <KeyCap k="Enter" />
          </button>
        </div>
      )}
      <Wrong says={error} className="mt-1" />
    </Form>
  );
}
