import { useEffect, useRef, useState } from "react";
import type { Schemas } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { day } from "../frame/time";
import { Care } from "../kit/Care";
import { AddOrDone, Form, Why } from "../kit/Form";
import { AddMedicine } from "./AddMedicine";
import type { Acts } from "./useIntake";

type ListView = Schemas["ListView"];

/** List is one list of the chart: its entries, what was stated about it, and a row
 * to add to it. k reviews it, more adds to it. */
export function List({
  list: l,
  acts,
  patient,
  k,
  more,
}: {
  list: ListView;
  acts: Acts;
  patient: string;
  k?: string;
  more?: string;
}) {
  const [adding, setAdding] = useState(false);
  const [ending, setEnding] = useState("");
  useKeys(more ? [{ key: more, label: `Add to ${l.name.toLowerCase()}`, run: () => setAdding(true) }] : []);
  return (
    <section aria-label={l.name} className="border-t border-rule py-2">
      <div className="flex flex-wrap items-baseline gap-x-3">
        <h3 className="w-44 font-sans text-line font-semibold">{l.name}</h3>
        <div className="flex flex-1 flex-wrap items-baseline gap-x-3">
          {l.entries.length === 0 && !l.noneKnown && (
            <span className="text-faded">
              {l.reviewed ? "Nothing recorded; nobody stated that there is none." : "Not asked yet: unknown is not none."}
            </span>
          )}
          {l.entries.length === 0 && l.noneKnown && (
            <span>
              {l.none || "None"} <span className="small">stated by {l.noneKnown}</span>
            </span>
          )}
        </div>
        <span className={`small ${l.today ? "text-settled" : ""}`}>
          {l.today ? `✓ reviewed today, ${l.reviewed.split(",")[0]}` : l.reviewed ? `reviewed ${l.reviewed}` : "never reviewed"}
        </span>
      </div>
      <ul>
        {l.entries.map((e) => (
          <li key={e.id} className="group flex flex-wrap items-baseline gap-x-2 py-0.5 pl-2">
            <span>
              <span className="font-semibold">{e.title}</span>
              {e.detail && `, ${e.detail}`}
              {e.since && <span className="text-faded"> · since {day(e.since)}</span>}
              {e.source && <span className="text-faded"> · from the {e.source}</span>}
              {e.medicine && <MedicineWords entry={e} facts={e.medicine} />}
              {e.allergy && <AllergyWords facts={e.allergy} />}
            </span>
            {ending === e.id ? (
              <Why
                label={`Why ${e.title} ends`}
                word={l.id === "medicines" ? "Stop" : "End"}
                act={(reason) => acts.end(l.id, e.id, reason).then((ok) => ok && setEnding(""))}
                leave={() => setEnding("")}
              />
            ) : (
              <button
                type="button"
                className="plain py-0 text-small"
                aria-label={`${l.id === "medicines" ? "Stop" : "End"} ${e.title}`}
                onClick={() => setEnding(e.id)}
              >
                {l.id === "medicines" ? "Stop…" : "End…"}
              </button>
            )}
            {e.medicine && <Told entry={e} facts={e.medicine} acts={acts} />}
            {e.allergy && <Borne entry={e} acts={acts} />}
            {e.medicine && e.medicine.warnings.length > 0 && (
              <div className="basis-full pl-4 text-aside">
                <Care warnings={e.medicine.warnings} quiet />
              </div>
            )}
          </li>
        ))}
      </ul>
      <div className="flex flex-wrap items-baseline gap-3 pl-2">
        {adding && l.id === "medicines" ? (
          <AddMedicine acts={acts} patient={patient} close={() => setAdding(false)} />
        ) : adding ? (
          <Add list={l} acts={acts} close={() => setAdding(false)} />
        ) : (
          <>
            <button type="button" className="plain py-0 text-aside" onClick={() => setAdding(true)}>
              Add {more && <KeyCap k={more} />}
            </button>
            {l.entries.length === 0 && l.none && !l.noneKnown && (
              <button type="button" className="plain py-0 text-aside" onClick={() => void acts.state([l.id], "none known")}>
                {l.none}
              </button>
            )}
            {!l.today && (
              <button type="button" className="plain py-0 text-aside" onClick={() => void acts.state([l.id], "reviewed")}>
                Reviewed {k && <KeyCap k={k} />}
              </button>
            )}
          </>
        )}
      </div>
    </section>
  );
}

type Entry = ListView["entries"][number];

// What is known of a medicine beyond its words: what it holds, how its dose was read, why it was begun.
function MedicineWords({ entry, facts }: { entry: Entry; facts: NonNullable<Entry["medicine"]> }) {
  const same = facts.ingredients.length === 1 && facts.ingredients[0]?.toLowerCase() === entry.title.toLowerCase();
  return (
    <>
      {!same && facts.ingredients.length > 0 && <span className="text-faded"> · {facts.ingredients.join(" + ")}</span>}
      {entry.detail && !facts.reads && <span className="text-faded"> · dose as typed, not read</span>}
      {facts.why && <span className="text-faded"> · for {facts.why}</span>}
    </>
  );
}

function AllergyWords({ facts }: { facts: NonNullable<Entry["allergy"]> }) {
  return (
    <>
      {facts.certainty && <span className="text-faded"> · {facts.certainty}</span>}
      {facts.is === "class" && <span className="text-faded"> · all of: {facts.means}</span>}
      {facts.is === "not known" && (
        <span className="text-carried">
          {" "}
          · ? not known to the catalogue: not checked{facts.means && ` (${facts.means} meant?)`}
        </span>
      )}
      {facts.tolerated && <span className="text-faded"> · borne since: {facts.tolerated}</span>}
    </>
  );
}

// What the patient tells of taking a medicine: chosen, and kept with who asked when.
function Told({ entry, facts, acts }: { entry: Entry; facts: NonNullable<Entry["medicine"]>; acts: Acts }) {
  return (
    <label className="relative text-small text-faded">
      <span className="sr-only">How {entry.title} is taken</span>
      <select
        className="rounded-[3px] border border-edge bg-leaf px-1 text-small"
        title={facts.toldBy && `told to ${facts.toldBy}`}
        value={facts.told}
        onChange={(e) =>
          void acts.told(entry.id, e.target.value as "taking" | "sometimes" | "not taking" | "not known", facts.toldDetail)
        }
      >
        {facts.told === "" && <option value="">taken? not asked</option>}
        {["taking", "sometimes", "not taking", "not known"].map((s) => (
          <option key={s} value={s}>
            {s === "taking"
              ? "taken as told"
              : s === "sometimes"
                ? "taken sometimes"
                : s === "not taking"
                  ? "not taken"
                  : "taken? not known"}
          </option>
        ))}
      </select>
      {facts.toldBy && <span> {facts.toldBy}</span>}
    </label>
  );
}

// What was borne in spite of an allergy: asked for in place.
function Borne({ entry, acts }: { entry: Entry; acts: Acts }) {
  const [open, setOpen] = useState(false);
  return open ? (
    <Why
      label={`What was borne since the allergy to ${entry.title}`}
      says="What was borne since: amoxicillin, 2024"
      word="Keep"
      act={(what) => acts.tolerated(entry.id, what).then((ok) => ok && setOpen(false))}
      leave={() => setOpen(false)}
    />
  ) : (
    <button
      type="button"
      className="plain py-0 text-small"
      aria-label={`Borne since: ${entry.title}`}
      onClick={() => setOpen(true)}
    >
      Borne since…
    </button>
  );
}

function Add({ list: l, acts, close }: { list: ListView; acts: Acts; close: () => void }) {
  const [title, setTitle] = useState(l.choose[0] ?? "");
  const [detail, setDetail] = useState("");
  const [severity, setSeverity] = useState("");
  const [certainty, setCertainty] = useState("");
  const [since, setSince] = useState("");
  const first = useRef<HTMLInputElement & HTMLSelectElement>(null);
  useEffect(() => first.current?.focus(), []);
  async function save() {
    if (await acts.add({ list: l.id, title, detail, severity, certainty, since, until: "" })) {
      setTitle(l.choose[0] ?? "");
      setDetail("");
      setSince("");
      setSeverity("");
      setCertainty("");
      first.current?.focus();
    }
  }
  return (
    <Form className="flex w-full flex-wrap items-baseline gap-2 text-aside" act={save} leave={close}>
      {l.choose.length > 0 ? (
        <select
          ref={first}
          aria-label={`${l.name}: ${l.title}`}
          className="rounded-[3px] border border-edge bg-leaf px-1 py-0.5"
          value={title}
          onChange={(e) => setTitle(e.target.value)}
        >
          {l.choose.map((c) => (
            <option key={c}>{c}</option>
          ))}
        </select>
      ) : (
        <input
          ref={first}
          aria-label={`${l.name}: ${l.title}`}
          placeholder={l.title}
          className="field max-w-[220px] py-0.5"
          value={title}
          onChange={(e) => setTitle(e.target.value)}
        />
      )}
      <input
        aria-label={`${l.name}: ${l.detail}`}
        placeholder={l.detail}
        className="field max-w-[220px] py-0.5"
        value={detail}
        onChange={(e) => setDetail(e.target.value)}
      />
      {l.id === "allergies" && (
        <select
          aria-label="Severity"
          className="rounded-[3px] border border-edge bg-leaf px-1 py-0.5"
          value={severity}
          onChange={(e) => setSeverity(e.target.value)}
        >
          {["", "mild", "moderate", "severe"].map((s) => (
            <option key={s} value={s}>
              {s || "severity not known"}
            </option>
          ))}
        </select>
      )}
      {l.id === "allergies" && (
        <select
          aria-label="How sure it is"
          className="rounded-[3px] border border-edge bg-leaf px-1 py-0.5"
          value={certainty}
          onChange={(e) => setCertainty(e.target.value)}
        >
          {["", "confirmed", "likely", "doubtful", "refuted"].map((s) => (
            <option key={s} value={s}>
              {s || "certainty not said"}
            </option>
          ))}
        </select>
      )}
      <input
        aria-label={`${l.name}: since`}
        placeholder="Since: 2019-03"
        className="field max-w-[110px] py-0.5"
        value={since}
        onChange={(e) => setSince(e.target.value)}
      />
      <AddOrDone close={close} />
    </Form>
  );
}
