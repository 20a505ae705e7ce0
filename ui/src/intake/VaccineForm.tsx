import { useRef, useState } from "react";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap } from "../frame/keys";
import { Form } from "../kit/Form";
import { Wrong } from "../kit/Wrong";

export type Vaccine = Schemas["VaccineView"];

/** Field is a short field of a form of the house. */
export function Field({
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

export const box = "my-2 border border-edge p-3 text-aside";

/** VaccineForm records a vaccine as given at a visit, with its checks: whatever asks is answered before it is kept. */
export function VaccineForm({
  vaccine: v,
  recorded,
  visit,
  close,
}: {
  vaccine: Vaccine;
  recorded: (now: Schemas["IntakeView"]) => void;
  visit: string;
  close: () => void;
}) {
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
      recorded(out.intake);
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
