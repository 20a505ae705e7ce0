import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useEffect, useRef, useState } from "react";
import { Link, useLocation, useNavigate, useParams } from "react-router";
import { useAct } from "../exchange/act";
import { asks } from "../exchange/asks";
import { api, got, type Schemas } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { useLeft } from "../frame/left";
import { day } from "../frame/time";
import { Wrong } from "../kit/Wrong";
import { DeskWords } from "../result/DeskWords";
import { useRight } from "../session/me";
import { Cards } from "./Cards";
import { Contacts } from "./Contacts";
import { Coverages } from "./Coverages";
import { Choose, Field } from "./Field";
import { Race } from "./Race";
import { WalkIn } from "./WalkIn";

type Reg = Schemas["Registration"];
type ToAnswer = Schemas["ToAnswer"];
type View = Schemas["RegistrationView"];

const nobody: Reg = {
  family: "",
  given: "",
  middle: "",
  suffix: "",
  inUse: "",
  former: [],
  birthDate: "",
  sex: "",
  gender: "",
  race: [],
  ethnicity: "",
  language: "",
  interpreter: "",
  address: { street: "", city: "", state: "", zip: "", since: "" },
  telephones: [{ number: "", use: "mobile", messages: false }],
  email: "",
  contacts: [],
  coverages: [],
  guarantor: "",
  pharmacy: "",
  pharmacyPhone: "",
  portal: false,
  remark: "",
  died: "",
  left: "",
  noReminders: false,
};

// What is written and not kept yet, and what it was changed from.
type Left = { r: Reg; usual: string; reason: string; on: Reg; usualOn: string; version: number };

function asItStands(view?: View): Left {
  const r = view?.registration ?? nobody;
  const usual = view?.usual ?? "";
  return { r, usual, reason: "", on: r, usualOn: usual, version: view?.version ?? 0 };
}

function changes(v: Left) {
  return !same(v.r, v.on) || v.usual !== v.usualOn || v.reason !== "";
}

// onTop puts the fields that were changed here on what somebody else kept meanwhile.
function onTop(mine: Left, now: Left): Left {
  const fields = Object.fromEntries(
    Object.entries(mine.r).filter(([f, v]) => JSON.stringify(v) !== JSON.stringify(mine.on[f as keyof Reg])),
  );
  const usual = mine.usual === mine.usualOn ? now.usual : mine.usual;
  return { ...now, r: { ...now.r, ...fields }, usual, reason: mine.reason };
}

/** Registration makes a record of somebody new, or keeps that of somebody registered. */
export function Registration() {
  const { id } = useParams();
  const view = useQuery({ ...asks.registration(id ?? ""), enabled: id !== undefined });
  if (id === undefined) return <Sheet key="new" />;
  if (view.isError && !view.data) return <main className="flex-1 p-8 text-alarm">{view.error.message}</main>;
  if (!view.data) return <main className="flex-1 p-8 small">Opening the registration…</main>;
  return <Sheet key={id} view={view.data} />;
}

// A day as it is typed, 1968-03-14 or 3/14/1968; the server reads it.
function isDay(words: string) {
  return /^(\d{4}-\d{2}-\d{2}|\d{1,2}[/-]\d{1,2}[/-]\d{4})$/.test(words.trim());
}

// What a typed line of the finder says of somebody new: a birth date, a telephone, or a name.
function typed(line: string): Partial<Reg> {
  const words = line.trim();
  if (isDay(words)) return { birthDate: words };
  if (/^[\d ()+-]{7,}$/.test(words)) return { telephones: [{ number: words, use: "mobile", messages: false }] };
  const [given = "", ...rest] = words.split(/\s+/);
  return rest.length > 0 ? { given, family: rest.join(" ") } : { family: given };
}

function Sheet({ view }: { view?: View }) {
  const go = useNavigate();
  const client = useQueryClient();
  const from = useLocation().state as { typed?: string; said?: string; named?: Partial<Reg>; held?: string } | null;
  const choices = useQuery(asks.registrationChoices());
  const mayOpen = useRight("see a chart");
  const { act, error } = useAct(`registration ${view?.patient.id ?? "new"}`);
  const now = asItStands(view);
  const [left, setLeft] = useLeft<Left>(
    `registration ${view?.patient.id ?? "new"}`,
    () => (view ? now : { ...now, r: { ...nobody, ...typed(from?.typed ?? ""), ...from?.named } }),
    (v) => !changes(v),
  );
  // What nobody here has changed is shown as it stands now; what was changed stays what it was changed from.
  const state = changes(left) ? left : now;
  const { r, usual, reason } = state;
  const set = (change: Partial<Reg>) => setLeft({ ...state, r: { ...r, ...change } });
  const changed = changes(state);
  const behind = changed && state.version !== now.version;
  const [newId] = useState(() => crypto.randomUUID());
  const [asked, setAsked] = useState<ToAnswer | null>(null);
  const [yes, setYes] = useState<string[]>([]);
  const [another, setAnother] = useState<string[]>([]);
  const [walking, setWalking] = useState(false);
  const first = useRef<HTMLInputElement>(null);
  useEffect(() => {
    if (!view) first.current?.focus();
  }, [view]);
  // What is to be answered is at hand at once.
  useEffect(() => {
    if (asked?.findings.every((f) => f.question)) document.querySelector<HTMLElement>("[data-answer]")?.focus();
  }, [asked]);
  const identity =
    view !== undefined && (["family", "given", "birthDate", "sex"] as const).some((f) => r[f].trim() !== state.on[f].trim());

  // Who may be the same person is looked for while the name is typed.
  const probe = { ...nobody, family: r.family, given: r.given, birthDate: r.birthDate, sex: r.sex, telephones: r.telephones };
  const ready = r.family.trim().length > 1 && (r.given.trim().length > 1 || isDay(r.birthDate));
  const alike = useQuery({
    ...asks.alike(probe, view?.patient.id ?? ""),
    enabled: ready && (view === undefined || identity),
    placeholderData: (b) => b,
  });

  async function keep(also: { yes?: string; another?: string } = {}) {
    const answers = {
      yes: also.yes ? [...yes, also.yes] : yes,
      another: also.another ? [...another, also.another] : another,
    };
    setYes(answers.yes);
    setAnother(answers.another);
    const done = await act(() =>
      view
        ? got(
            api.PUT("/api/patients/{id}/registration", {
              params: { path: { id: view.patient.id } },
              body: { registration: r, version: state.version, usual, reason, answers },
            }),
          )
        : got(api.POST("/api/patients", { body: { id: newId, registration: r, usual, answers } })),
    );
    if (!done) {
      if (view) await client.invalidateQueries({ queryKey: asks.registration(view.patient.id).queryKey });
      return;
    }
    if (!done.kept) {
      setAsked(done);
      const wrong = done.findings.find((f) => !f.question);
      if (wrong) document.querySelector<HTMLElement>(`[data-field="${wrong.field}"]`)?.focus();
      return;
    }
    setAsked(null);
    setYes([]);
    setAnother([]);
    setLeft(now);
    await client.invalidateQueries();
    if (from?.held) return go(`/desk/held/${from.held}`, { replace: true, state: { chosen: done.id } });
    go(`/patients/${done.id}/registration`, { replace: true, state: { said: view ? "Kept." : `Registered as ${done.record}.` } });
  }
  useKeys([
    { key: "Ctrl+Enter", label: "Keep the registration", run: () => void keep() },
    ...(view
      ? [
          { key: "v", label: "Begin a visit now", run: () => setWalking(true) },
          { key: "s", label: "Sharing", run: () => go(`/patients/${view.patient.id}/sharing`) },
        ]
      : []),
  ]);
  const submit = (e: FormEvent) => {
    e.preventDefault();
    void keep();
  };
  const wrong = asked?.findings.filter((f) => !f.question) ?? [];
  const odd = asked?.findings.filter((f) => f.question && !yes.includes(f.says)) ?? [];
  const way = asked?.onTheWay.filter((w) => !yes.includes(w)) ?? [];
  const doubles = (asked?.alike.length ? asked.alike : (alike.data ?? [])).filter((a) => !another.includes(a.patient.id));
  const c = choices.data;
  return (
    <div className="flex min-h-0 flex-1 max-wide:flex-col max-wide:overflow-auto">
      <main id="page" className="flex min-h-0 min-w-0 flex-1 flex-col bg-leaf max-wide:flex-none">
        {view && <DeskWords patient={view.patient.id} />}
        <form
          aria-label="Registration"
          className="min-h-0 flex-1 overflow-auto px-10 py-5 max-wide:overflow-visible max-phone:px-4"
          onSubmit={submit}
        >
          <div className="mb-3 flex items-baseline gap-3 border-b border-rule pb-2.5">
            <h1 className="text-title-l">{view ? `${view.patient.given} ${view.patient.family}` : "Somebody new"}</h1>
            <span className="small flex-1">
              {view ? (
                <>
                  Registration · record <span className="font-mono">{view.patient.record}</span>
                  {view.patient.age && ` · ${view.patient.age}`}
                </>
              ) : (
                "Family name and sex are needed; what is left empty was not said."
              )}
            </span>
            {from?.said && !changed && (
              <span role="status" className="text-settled">
                ✓ {from.said}
              </span>
            )}
          </div>
          <Wrong says={error} className="text-aside" />
          <section aria-label="Who it is" className="grid grid-cols-6 gap-x-4 gap-y-2 max-phone:grid-cols-2">
            <Field wide={2} label="Given name" value={r.given} set={(given) => set({ given })} input={first} name="given" />
            <Field wide={1} label="Middle" value={r.middle} set={(middle) => set({ middle })} />
            <Field wide={2} label="Family name" value={r.family} set={(family) => set({ family })} name="family" />
            <Field wide={1} label="Suffix" value={r.suffix} set={(suffix) => set({ suffix })} />
            <Field
              wide={2}
              label="Birth date"
              hint="1968-03-14 or 3/14/1968"
              value={r.birthDate}
              set={(birthDate) => set({ birthDate })}
              name="birthDate"
            />
            <Choose
              wide={1}
              label="Sex"
              name="sex"
              value={r.sex}
              set={(sex) => set({ sex })}
              options={[
                ["", "–"],
                ["F", "female"],
                ["M", "male"],
                ["O", "other"],
                ["U", "unknown"],
              ]}
            />
            <Field wide={3} label="Gender, as stated" value={r.gender} set={(gender) => set({ gender })} />
            <Field wide={2} label="Name in use" value={r.inUse} set={(inUse) => set({ inUse })} />
            <Field
              wide={4}
              label="Other names, parted by commas"
              value={r.former.join(", ")}
              set={(s) => set({ former: s.split(",").map((x) => x.trimStart()) })}
            />
          </section>
          <h2 className="mt-5 text-title-s">How to reach them</h2>
          <section aria-label="How to reach them" className="grid grid-cols-6 gap-x-4 gap-y-2 max-phone:grid-cols-2">
            {r.telephones.map((t, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: telephones have no other name than their place
              <div key={i} className="col-span-6 flex items-end gap-3 max-phone:col-span-2">
                <Field
                  label={`Telephone ${i + 1}`}
                  value={t.number}
                  name={i === 0 ? "telephones" : undefined}
                  set={(number) => set({ telephones: r.telephones.map((x, k) => (k === i ? { ...x, number } : x)) })}
                />
                <Choose
                  label="Use"
                  says={`Use of telephone ${i + 1}`}
                  value={t.use}
                  set={(use) => set({ telephones: r.telephones.map((x, k) => (k === i ? { ...x, use } : x)) })}
                  options={(c?.uses ?? [t.use]).map((u) => [u, u])}
                />
                <label className="flex items-center gap-1.5 pb-1.5 text-aside">
                  <input
                    type="checkbox"
                    className="size-4 accent-kelp"
                    checked={t.messages}
                    onChange={(e) => {
                      const messages = e.target.checked;
                      set({ telephones: r.telephones.map((x, k) => (k === i ? { ...x, messages } : x)) });
                    }}
                  />
                  messages may be left
                </label>
                {i === r.telephones.length - 1 && (
                  <button
                    type="button"
                    className="plain pb-1.5"
                    onClick={() => set({ telephones: [...r.telephones, { number: "", use: "home", messages: false }] })}
                  >
                    Another telephone
                  </button>
                )}
              </div>
            ))}
            <Field
              wide={3}
              label="Street"
              value={r.address.street}
              set={(street) => set({ address: { ...r.address, street } })}
              name="address"
            />
            <Field wide={1} label="City" value={r.address.city} set={(city) => set({ address: { ...r.address, city } })} />
            <Field wide={1} label="State" value={r.address.state} set={(state) => set({ address: { ...r.address, state } })} />
            <Field wide={1} label="ZIP" value={r.address.zip} set={(zip) => set({ address: { ...r.address, zip } })} />
            <Field wide={3} label="E-mail" value={r.email} set={(email) => set({ email })} name="email" />
            <label className="col-span-3 flex items-center gap-1.5 self-end pb-1.5 text-aside max-phone:col-span-2">
              <input
                type="checkbox"
                className="size-4 accent-kelp"
                checked={r.portal}
                onChange={(e) => set({ portal: e.target.checked })}
              />
              uses the portal
            </label>
          </section>
          <h2 className="mt-5 text-title-s">As the person states it</h2>
          <section aria-label="As the person states it" className="grid grid-cols-6 gap-x-4 gap-y-2 max-phone:grid-cols-2">
            <Field wide={2} label="Language" value={r.language} set={(language) => set({ language })} />
            <Choose
              wide={1}
              label="Interpreter"
              name="interpreter"
              value={r.interpreter}
              set={(interpreter) => set({ interpreter })}
              options={[
                ["", "not said"],
                ["yes", "needed"],
                ["no", "not needed"],
              ]}
            />
            <Choose
              wide={3}
              label="Ethnicity"
              value={r.ethnicity}
              set={(ethnicity) => set({ ethnicity })}
              options={[["", "not said"], ...(c?.ethnicities ?? []).map((e): [string, string] => [e, e])]}
            />
            <Race race={r.race} set={(race) => set({ race })} races={c?.races ?? []} />
          </section>
          <Contacts people={r.contacts} set={(contacts) => set({ contacts })} />
          <Coverages r={r} set={set} kinds={c?.kinds ?? []} ranks={c?.ranks ?? []} />
          <h2 className="mt-5 text-title-s">Care</h2>
          <section aria-label="Care" className="grid grid-cols-6 gap-x-4 gap-y-2 max-phone:grid-cols-2">
            <Choose
              wide={2}
              label="Usual clinician"
              value={usual}
              set={(who) => setLeft({ ...state, usual: who })}
              options={[["", "nobody said"], ...(c?.clinicians ?? []).map((p): [string, string] => [p.id, p.name])]}
            />
            <Field wide={2} label="Pharmacy" value={r.pharmacy} set={(pharmacy) => set({ pharmacy })} name="pharmacy" />
            <Field
              wide={2}
              label="Telephone of the pharmacy"
              value={r.pharmacyPhone}
              set={(pharmacyPhone) => set({ pharmacyPhone })}
            />
            <Field wide={6} label="Remark" value={r.remark} set={(remark) => set({ remark })} />
            <Field
              wide={2}
              label="Died"
              hint="2026-03-14, or the year"
              value={r.died ?? ""}
              set={(died) => set({ died })}
              name="died"
            />
            <Field
              wide={2}
              label="No longer comes, since"
              hint="2026-03-14, or the year"
              value={r.left ?? ""}
              set={(left) => set({ left })}
              name="left"
            />
            <label className="label col-span-2 self-end pb-1">
              <input type="checkbox" checked={r.noReminders ?? false} onChange={(e) => set({ noReminders: e.target.checked })} />{" "}
              wants no letters or messages that remind
            </label>
          </section>
          {view && <Cards view={view} />}
          <button type="submit" hidden />
        </form>
        <footer className="flex shrink-0 flex-wrap items-center gap-2.5 border-t border-rule bg-paper px-10 py-2 max-phone:px-4">
          {identity && (
            <input
              aria-label="Why name, birth date or sex change"
              placeholder="Why it changes: married, a typing error…"
              data-field="reason"
              className="field max-w-[300px] bg-leaf"
              value={reason}
              onChange={(e) => setLeft({ ...state, reason: e.target.value })}
              onKeyDown={(e) => {
                if (e.key === "Enter" && !e.ctrlKey) void keep();
              }}
            />
          )}
          <button type="button" className="act" onClick={() => void keep()}>
            {view ? "Keep" : "Register"} <KeyCap k="Ctrl+Enter" />
          </button>
          {view && (
            <button type="button" className="choice" onClick={() => setWalking(true)}>
              Begin a visit now <KeyCap k="v" />
            </button>
          )}
          {view && (
            <Link className="choice" to={`/patients/${view.patient.id}/sharing`}>
              Sharing
              {view.toAsk > 0 && <span className="font-normal"> · {view.toAsk} to ask</span>} <KeyCap k="s" />
            </Link>
          )}
          {view && mayOpen && (
            <Link className="choice" to={`/patients/${view.patient.id}`}>
              To the chart
            </Link>
          )}
        </footer>
      </main>
      <aside
        aria-label="What is to settle, and what stood before"
        className="w-[332px] shrink-0 overflow-auto border-l border-rule px-4 py-5 text-aside max-wide:w-full max-wide:border-l-0"
      >
        {walking && view && choices.data && <WalkIn view={view} choices={choices.data} leave={() => setWalking(false)} />}
        {behind && view && (
          <section className="mb-4" role="alert">
            <h2 className="mb-1 text-title">Kept meanwhile by somebody else</h2>
            {view.history
              .filter((h) => h.version > Math.max(state.version, 1))
              .map((h) => (
                <div key={h.version} className="mb-1">
                  <p className="small">{h.by}</p>
                  {h.says.map((s) => (
                    <p key={s}>{s}</p>
                  ))}
                </div>
              ))}
            <p className="mb-1">
              What you wrote stands here and is not kept yet. Where both of you changed the same field, yours will stand.
            </p>
            <button type="button" className="plain pl-0" onClick={() => setLeft(onTop(state, now))}>
              Put my changes on it
            </button>
            <button type="button" className="plain" onClick={() => setLeft(now)}>
              Leave mine
            </button>
          </section>
        )}
        {wrong.length > 0 && (
          <section className="mb-4">
            <h2 className="mb-1 text-title">To put right</h2>
            {wrong.map((f) => (
              <p key={f.says} role="alert" className="mb-1 text-alarm">
                {f.says}
              </p>
            ))}
          </section>
        )}
        {doubles.length > 0 && (
          <section className="mb-4">
            <h2 className="mb-1 text-title">The same person?</h2>
            {doubles.map((a) => (
              <div key={a.patient.id} className="mb-2 border-l-[3px] border-carried pl-2">
                <p className="font-semibold">
                  {a.patient.given} {a.patient.family}
                </p>
                <p>
                  born {day(a.patient.birthDate)}, {a.patient.sex}, {a.patient.record}
                </p>
                <p className="small">
                  same {a.agree.join(", ")}
                  {a.differ.length > 0 && `; another ${a.differ.join(", ")}`}
                </p>
                <Link className="plain pl-0" to={`/patients/${a.patient.id}/registration`}>
                  This one
                </Link>
                <button
                  type="button"
                  data-answer
                  className="plain"
                  onClick={() => (asked ? void keep({ another: a.patient.id }) : setAnother([...another, a.patient.id]))}
                >
                  Another person
                </button>
              </div>
            ))}
          </section>
        )}
        {(odd.length > 0 || way.length > 0) && (
          <section className="mb-4">
            <h2 className="mb-1 text-title">To answer</h2>
            {[...odd.map((f) => f.says), ...way].map((says) => (
              <p key={says} className="mb-1">
                {says}{" "}
                <button type="button" data-answer className="plain py-0" onClick={() => void keep({ yes: says })}>
                  {says.endsWith("?") ? "Yes, keep it so" : "Seen"}
                </button>
              </p>
            ))}
          </section>
        )}
        {view && view.onTheWay.length > 0 && !asked && (
          <section className="mb-4">
            <h2 className="mb-1 text-title">On its way</h2>
            {view.onTheWay.map((w) => (
              <p key={w} className="mb-1">
                {w}.
              </p>
            ))}
          </section>
        )}
        {view && (
          <section>
            <h2 className="mb-1 text-title">What stood before</h2>
            {view.history.length === 0 && <p className="text-faded">Nothing was changed here yet.</p>}
            {view.history.map((h) => (
              <div key={h.version} className="mb-2">
                <p className="small">
                  {h.at ? `${day(h.at)}, ${h.by}` : "as it was entered before"}
                  {h.reason && ` · ${h.reason}`}
                </p>
                {h.says.map((s) => (
                  <p key={s}>{s}</p>
                ))}
                {h.says.length === 0 && h.at && <p>Registered.</p>}
              </div>
            ))}
          </section>
        )}
        {!view && doubles.length === 0 && wrong.length === 0 && odd.length === 0 && (
          <p className="text-faded">
            {ready && alike.isSuccess
              ? "Nobody registered here is alike."
              : "Who may be the same person shows here as the name is typed."}
          </p>
        )}
      </aside>
    </div>
  );
}

function same(a: Reg, b: Reg) {
  return JSON.stringify(plain(a)) === JSON.stringify(plain(b));
}

// Lines that say nothing are none.
function plain(r: Reg): Reg {
  return { ...r, telephones: r.telephones.filter((t) => t.number.trim() !== "") };
}
