import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { shortDay } from "../frame/time";
import { Plot } from "../kit/Plot";
import { Wrong } from "../kit/Wrong";
import { useMe } from "../session/me";
import type { Acts } from "./useIntake";

type Row = Schemas["VitalRow"];

/** Vitals is where vital signs are entered, beside those of the last four visits. */
export function Vitals({
  visit,
  patient,
  acts,
  first,
}: {
  visit: string;
  patient: string;
  acts: Acts;
  first: React.RefObject<HTMLInputElement | null>;
}) {
  const view = acts.intake.data;
  const { today } = useMe();
  const [texts, setTexts] = useState<Record<string, string>>({});
  const [asked, setAsked] = useState<{ loinc: string; questions: string[] } | null>(null);
  const [errors, setErrors] = useState<Record<string, string>>({});
  const [plot, setPlot] = useState("");
  useKeys(view?.device ? [{ key: "Alt+d", label: "Read the device", run: () => void device() }] : []);
  if (!view) return null;
  function take(row: Row, text: string, confirmed = false) {
    const { loinc, name } = row;
    if (text.trim() === "") return acts.unsettled.delete(name);
    acts.unsettled.add(name);
    return acts.inTurn(async () => {
      if (!acts.unsettled.has(name)) return; // taken already, under another key
      try {
        const out = await got(
          api.POST("/api/visits/{id}/vitals", {
            params: { path: { id: visit } },
            body: { entries: [{ loinc, text }], confirmed },
          }),
        );
        if (out.intake) {
          acts.set(out.intake);
          acts.unsettled.delete(name);
          setTexts((t) => (t[loinc] === text ? { ...t, [loinc]: "" } : t));
          setAsked((a) => (a?.loinc === loinc ? null : a));
        } else setAsked({ loinc, questions: out.questions });
        setErrors((e) => ({ ...e, [loinc]: "" }));
      } catch (e) {
        setErrors((all) => ({ ...all, [loinc]: say(e) }));
      }
    });
  }
  async function device(confirmed = false) {
    try {
      const out = await got(api.POST("/api/visits/{id}/vitals/device", { params: { path: { id: visit } }, body: { confirmed } }));
      if (out.intake) {
        acts.set(out.intake);
        setAsked(null);
      } else setAsked({ loinc: "device", questions: out.questions });
      setErrors((e) => ({ ...e, device: "" }));
    } catch (e) {
      setErrors((all) => ({ ...all, device: say(e) }));
    }
  }
  return (
    <section aria-label="Vital signs" className="border-t-2 border-rule pt-3">
      <div className="flex items-baseline gap-3">
        <h2 className="flex-1 text-title">
          Vital signs <KeyCap k="v" />
        </h2>
        {view.device && (
          <button type="button" className="choice py-1" onClick={() => void device()}>
            Read the device <KeyCap k="Alt+d" />
          </button>
        )}
      </div>
      {errors.device && <Wrong says={errors.device} className="text-aside" />}
      {asked?.loinc === "device" && <Asked asked={asked} keep={() => void device(true)} again={() => setAsked(null)} />}
      <table className="mt-1 w-full max-w-[820px] text-aside">
        <thead>
          <tr className="label text-left">
            <th className="w-44 py-1 font-semibold">
              <span className="sr-only">Vital sign</span>
            </th>
            <th className="w-32 font-semibold">Now</th>
            <th className="w-40 font-semibold">Today</th>
            {view.days.map((d) => (
              <th key={d} className="w-24 text-right font-semibold whitespace-nowrap">
                {shortDay(d, today)}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {view.vitals.map((r, i) => (
            <VitalLine
              key={r.loinc}
              row={r}
              input={i === 0 ? first : undefined}
              text={texts[r.loinc] ?? ""}
              set={(t) => setTexts({ ...texts, [r.loinc]: t })}
              take={(t) => void take(r, t)}
              strike={(id) =>
                void acts.run(() =>
                  got(api.POST("/api/visits/{id}/vitals/strike", { params: { path: { id: visit } }, body: { id } })),
                )
              }
              plot={() => setPlot(plot === r.loinc ? "" : r.loinc)}
              error={errors[r.loinc] ?? ""}
              asked={asked?.loinc === r.loinc ? asked : null}
              keep={() => void take(r, texts[r.loinc] ?? "", true)}
              again={() => {
                acts.unsettled.delete(r.name);
                setAsked(null);
                setTexts({ ...texts, [r.loinc]: "" });
              }}
            />
          ))}
          {view.bmi && (
            <tr className="h-[30px]">
              <th scope="row" className="text-left font-normal">
                Body-mass index
              </th>
              <td className="text-faded">computed</td>
              <td>
                {view.bmi} <span className="text-faded">kg/m²</span>
              </td>
            </tr>
          )}
        </tbody>
      </table>
      {plot && <Course patient={patient} loinc={plot} close={() => setPlot("")} />}
    </section>
  );
}

function Asked({ asked, keep, again }: { asked: { questions: string[] }; keep: () => void; again: () => void }) {
  return (
    <div role="alert" className="my-1 border-l-[3px] border-carried pl-2 text-aside">
      {asked.questions.map((q) => (
        <p key={q} className="font-semibold text-carried">
          {q}
        </p>
      ))}
      <button type="button" className="plain" onClick={keep}>
        It is so, keep it
      </button>
      <button type="button" className="plain ml-3" onClick={again}>
        Measure again
      </button>
    </div>
  );
}

function VitalLine({
  row: r,
  input,
  text,
  set,
  take,
  strike,
  plot,
  error,
  asked,
  keep,
  again,
}: {
  row: Row;
  input?: React.RefObject<HTMLInputElement | null>;
  text: string;
  set: (t: string) => void;
  take: (t: string) => void;
  strike: (id: string) => void;
  plot: () => void;
  error: string;
  asked: { questions: string[] } | null;
  keep: () => void;
  again: () => void;
}) {
  const hint: Record<string, string> = { "8302-2": "cm, 65 in, 5'5", "29463-7": "kg, 179 lb", "8310-5": "°C, 98.6 F" };
  return (
    <>
      <tr className="h-[34px] border-b border-rule align-middle">
        <th scope="row" className="text-left font-normal">
          <button type="button" className="hover:underline" aria-label={`Plot ${r.name}`} onClick={plot}>
            {r.name}
          </button>
        </th>
        <td className="pr-3 whitespace-nowrap">
          <input
            ref={input}
            aria-label={r.name}
            aria-invalid={error !== ""}
            className="field inline w-20 py-0.5"
            placeholder={hint[r.loinc] ? "" : r.loinc === "85354-9" ? "120/80" : ""}
            title={hint[r.loinc] ?? r.shown}
            value={text}
            onChange={(e) => set(e.target.value)}
            onBlur={(e) => take(e.target.value)}
            data-vital=""
            onKeyDown={(e) => {
              const fields = [...document.querySelectorAll<HTMLInputElement>("input[data-vital]")];
              const next = fields[fields.indexOf(e.currentTarget) + 1];
              if (e.key === "Tab" && !e.shiftKey && next) {
                // From value to value; what stands between is reached backwards.
                e.preventDefault();
                next.focus();
              } else if (e.key === "Enter" && !e.ctrlKey) {
                e.preventDefault();
                e.stopPropagation();
                take(text);
              }
            }}
          />{" "}
          <span className="text-faded">{r.shown}</span>
        </td>
        <td>
          {r.today.map((m) => (
            <span key={m.id} className="mr-2 whitespace-nowrap">
              <span className="font-semibold">{m.value}</span>
              {m.entered && <span className="text-faded"> ({m.entered})</span>}
              {m.origin === "device" && <span className="text-faded"> device</span>}
              <button
                type="button"
                aria-label={`Strike ${r.name} ${m.value}`}
                className="min-w-6 text-faded hover:text-alarm"
                onClick={() => strike(m.id)}
              >
                ×
              </button>
            </span>
          ))}
          {r.mean && <span className="text-faded">mean {r.mean}</span>}
        </td>
        {r.earlier.map((v, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: a column is its place
          <td key={i} className="text-right text-faded">
            {v || "–"}
          </td>
        ))}
      </tr>
      {(error || asked) && (
        <tr>
          <td colSpan={7}>
            {error && <Wrong says={error} />}
            {asked && <Asked asked={asked} keep={keep} again={again} />}
          </td>
        </tr>
      )}
    </>
  );
}

// Course is one vital sign over time.
function Course({ patient, loinc, close }: { patient: string; loinc: string; close: () => void }) {
  const all = useQuery(asks.vitals(patient));
  const values = (all.data ?? []).filter((p) => p.loinc === loinc);
  return <Plot name={values[0]?.name ?? ""} unit={values[0]?.shown ?? ""} values={values} close={close} />;
}
