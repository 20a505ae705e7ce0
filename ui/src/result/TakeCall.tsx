import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { useDraft } from "../frame/left";
import { day } from "../frame/time";
import { PersonSearch } from "../kit/PersonSearch";
import { Wrong } from "../kit/Wrong";

type Call = {
  patient: Schemas["PatientView"] | null;
  laboratory: string;
  caller: string;
  analyte: string;
  value: string;
  unit: string;
  specimen: string;
  at: string;
  readBack: boolean;
};
const nothing: Call = {
  patient: null,
  laboratory: "",
  caller: "",
  analyte: "",
  value: "",
  unit: "",
  specimen: "",
  at: "",
  readBack: false,
};

/** TakeCall takes a critical value down that a laboratory tells by telephone, before its report comes. */
export function TakeCall() {
  const go = useNavigate();
  const client = useQueryClient();
  const { d, request, change, given } = useDraft<Call>(
    "critical value by telephone",
    () => nothing,
    (v) => JSON.stringify(v) === JSON.stringify(nothing),
  );
  const [error, setError] = useState("");
  const [done, setDone] = useState("");
  const p = d.patient;
  async function keep() {
    setError("");
    setDone("");
    if (!p) return setError("Say whose value it is.");
    const { patient: _, ...body } = d;
    try {
      await got(api.POST("/api/patients/{id}/called", { params: { path: { id: p.id } }, body: { id: request, ...body } }));
      change(nothing);
      given();
      setDone(`Announced: ${p.given} ${p.family}, ${d.analyte} ${d.value} ${d.unit}.`);
      await client.invalidateQueries({ queryKey: ["critical"] });
      await client.invalidateQueries({ queryKey: ["desk"] });
    } catch (e) {
      setError(say(e));
    }
  }
  useKeys([
    { key: "Ctrl+Enter", label: "Announce it", run: () => void keep() },
    { key: "Alt+z", label: "Read back", run: () => change({ readBack: !d.readBack }) },
    { key: "Escape", label: "Leave", run: () => go(-1) },
  ]);
  const field = (
    name: keyof Call & ("laboratory" | "caller" | "analyte" | "value" | "unit" | "specimen" | "at"),
    word: string,
    wide = "",
  ) => (
    <label className={`label mt-3 block ${wide}`}>
      {word}
      <input className="field text-ink" maxLength={200} value={d[name]} onChange={(e) => change({ [name]: e.target.value })} />
    </label>
  );
  return (
    <main id="page" className="min-h-0 flex-1 overflow-auto bg-leaf px-10 py-5 max-phone:px-4">
      <h1 className="text-page">A critical value by telephone</h1>
      <p className="small">
        It is announced at once to who answers for it, and stays open until its report is here and joined to it. Ask for name and
        birth date, and read all of it back.
      </p>
      <div className="max-w-[620px]">
        <PersonSearch label="Whose value" but="" chosen={p} choose={(patient) => change({ patient })} leave={() => go(-1)} />
        <div className="grid grid-cols-6 gap-x-4 max-phone:grid-cols-1">
          {field("analyte", "What was measured", "col-span-3")}
          {field("value", "Value, as it was said", "col-span-2")}
          {field("unit", "Unit")}
          {field("laboratory", "Laboratory", "col-span-3")}
          {field("caller", "Who called", "col-span-3")}
          {field("specimen", "Specimen: number, or when it was drawn", "col-span-3")}
          {field("at", "Hour of the call, if not now", "col-span-3")}
        </div>
        <label className="mt-4 flex items-baseline gap-2">
          <input
            type="checkbox"
            className="size-4 accent-kelp"
            checked={d.readBack}
            onChange={(e) => change({ readBack: e.target.checked })}
          />
          <span>
            Read back and confirmed
            {p && (
              <>
                : {p.given} {p.family}, born {day(p.birthDate)}
                {d.analyte && `, ${d.analyte} ${d.value} ${d.unit}`}
              </>
            )}{" "}
            <KeyCap k="Alt+Z" />
          </span>
        </label>
        <p className="mt-4 flex items-baseline gap-3">
          <button type="button" className="act" onClick={() => void keep()}>
            Announce it <KeyCap k="Ctrl+Enter" />
          </button>
          <Wrong says={error} as="span" className="font-semibold" />
          <span role="status">{done}</span>
        </p>
      </div>
    </main>
  );
}
