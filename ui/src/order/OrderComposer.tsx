import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, onEscape, useKeys } from "../frame/keys";
import { useLeft } from "../frame/left";
import { day } from "../frame/time";
import { Panel } from "../kit/Panel";
import { SearchList } from "../kit/SearchList";
import { Wrong } from "../kit/Wrong";
import { useMe, useRight } from "../session/session";
import { useSigning } from "../sign/useSigning";

type Diagnosis = { code: string; title: string };
export type Chosen = { test: Schemas["Test"]; diagnoses: string[] };
const priorities = [
  ["R", "Routine"],
  ["A", "Urgent"],
  ["S", "Stat"],
] as const;

// A test of a prepared order, as the composer holds it.
const asChosen = (t: Schemas["OrderTestView"]): Chosen => ({
  test: { code: t.code, name: t.name, loinc: t.loinc, specimen: t.specimen, tube: t.tube, also: [], analytes: [] },
  diagnoses: t.diagnoses.map((d) => d.code),
});

/** OrderComposer orders laboratory tests, in the margin beside the page. Who may not
 * sign an order prepares it for the physician. */
export function OrderComposer({
  patient,
  visitId,
  diagnoses,
  from,
  again,
  close,
}: {
  patient: Schemas["PatientView"];
  visitId?: string;
  diagnoses: Diagnosis[];
  /** A prepared order that is changed here, and signed or prepared anew. */
  from?: Schemas["PreparedView"];
  /** An order that the laboratory refused: corrected here, it is a new one. */
  again?: Schemas["OrderView"];
  close: () => void;
}) {
  const me = useMe();
  const client = useQueryClient();
  const about = `${patient.id} ${visitId ?? ""} ${from?.id ?? again?.id ?? ""}`;
  const [query, setQuery] = useLeft(
    `test ${about}`,
    () => "",
    (v) => v.trim() === "",
  );
  const maySign = useRight("sign an order"); // without it, an order is prepared for who has it
  const [chosen, setChosen, given, left] = useLeft<Chosen[]>(
    `order ${about}`,
    () => (from?.tests ?? again?.tests ?? []).map(asChosen),
    (list) => list.length === 0 && !from && !again,
  );
  const [priority, setPriority] = useState<"R" | "A" | "S">(from?.priority ?? "R");
  const [collected, setCollected] = useState(from?.collected ?? !again);
  const [error, setError] = useState("");
  // One act of ordering, however often it is sent; also when its answer was lost and the
  // order left and opened again.
  const [request, setRequest, sent] = useLeft(
    `request ${about}`,
    () => crypto.randomUUID() as string,
    () => false,
  );
  const { sign, dialog, busy } = useSigning();
  const input = useRef<HTMLInputElement>(null);
  useEffect(() => input.current?.focus(), []);

  const first = diagnoses[0]?.code;
  function withTest(list: Chosen[], t: Schemas["Test"]): Chosen[] {
    if (list.some((c) => c.test.code === t.code)) return list;
    return [...list, { test: t, diagnoses: first ? [first] : [] }];
  }
  function choose(t: Schemas["Test"] | null | undefined) {
    if (!t) return;
    setChosen((list) => withTest(list, t));
    setQuery((now) => (now === query ? "" : now)); // what was typed meanwhile is the next search
    setRequest(crypto.randomUUID());
  }
  function link(code: string, test?: string) {
    setChosen(
      chosen.map((c) => {
        if (test && c.test.code !== test) return c;
        const has = c.diagnoses.includes(code);
        if (!test) return has ? c : { ...c, diagnoses: [...c.diagnoses, code] };
        return { ...c, diagnoses: has ? c.diagnoses.filter((d) => d !== code) : [...c.diagnoses, code] };
      }),
    );
    setRequest(crypto.randomUUID());
  }
  async function signAll() {
    // The test found first is added by the same act that goes on to sign.
    // What is on the screen may still belong to fewer letters: the list for all of them decides.
    const now = query.trim() ? await client.fetchQuery(asks.tests(query)) : [];
    const pointed = document.querySelector<HTMLElement>("[data-hit][data-focus]")?.dataset.hit;
    const best = now.find((t) => t.code === pointed) ?? now[0];
    if (query.trim() && !best) {
      setError("No test is found with these letters.");
      return;
    }
    const all = best ? withTest(chosen, best) : chosen;
    setChosen(all);
    setQuery("");
    if (all.length === 0) {
      setError("Choose at least one test.");
      return;
    }
    const bare = all.find((c) => c.diagnoses.length === 0);
    if (bare) {
      setError(
        `Link a diagnosis to ${bare.test.name}.${diagnoses.length === 0 ? " Add one to the visit or the problem list first." : ""}`,
      );
      return;
    }
    setError("");
    const requestId = best ? crypto.randomUUID() : request;
    setRequest(requestId);
    const body = {
      visitId: visitId ?? from?.visitId,
      priority,
      collected,
      requestId,
      prepared: from?.id,
      tests: all.map((c) => ({ code: c.test.code, diagnoses: c.diagnoses })),
    };
    const done = () => {
      given();
      sent();
      void client.invalidateQueries({ queryKey: ["chart", patient.id] });
      close();
    };
    if (!maySign) {
      try {
        await got(api.POST("/api/patients/{id}/orders/prepared", { params: { path: { id: patient.id } }, body }));
        done();
      } catch (e) {
        setError(say(e));
      }
      return;
    }
    await sign({
      title: "Sign and send the order",
      lines: [
        `${patient.given} ${patient.family}, born ${day(patient.birthDate)}`,
        ...all.map((c) => `${c.test.name} for ${c.diagnoses.join(", ")}`),
      ],
      act: (secret) =>
        got(api.POST("/api/patients/{id}/orders", { params: { path: { id: patient.id } }, body: { ...body, secret } })),
      done,
      failed: (e) => setError(say(e)),
    });
  }
  useKeys([
    { key: "Ctrl+Enter", label: maySign ? "Sign and send the order" : "Prepare the order", run: () => void signAll() },
    {
      key: "Alt+a",
      label: "Link all diagnoses to all tests",
      run: () => setChosen(chosen.map((c) => ({ ...c, diagnoses: diagnoses.map((d) => d.code) }))),
    },
    { key: "Escape", label: "Leave the order", run: close },
  ]);
  return (
    <Panel
      label="Order"
      title={maySign ? "Order" : "Prepare an order"}
      leave={close}
      word=""
      aside={<span className="small">{me.laboratory}</span>}
    >
      <SearchList
        label="Add a test: letters, code or LOINC"
        input={input}
        query={query}
        setQuery={setQuery}
        search={asks.tests}
        hits={(found) => found}
        id={(t) => t.code}
        choose={choose}
        none="Not in this laboratory's list."
        onKey={(e) => {
          // The list would take these keys for itself, and the order would need them twice.
          if (e.key === "Escape") {
            onEscape(close)(e);
            return true;
          }
          if (e.key !== "Enter" || !(e.ctrlKey || e.metaKey)) return false;
          e.preventDefault();
          e.stopPropagation();
          void signAll();
          return true;
        }}
      >
        {(t) => (
          <>
            {t.name}
            <span className="small block">
              {t.specimen}, {t.tube} · <span className="font-mono">{t.code}</span>
            </span>
          </>
        )}
      </SearchList>
      {chosen.length === 0 && query.trim() === "" && (
        <p className="small mt-3">Chosen tests stand here, each with the diagnoses that justify it.</p>
      )}
      {left && !from && chosen.length > 0 && (
        <p className="mt-3 text-aside text-carried">
          Left here before and not sent.{" "}
          <button type="button" className="plain py-0 text-aside" onClick={() => setChosen([])}>
            Begin anew
          </button>
        </p>
      )}
      <ul className="mt-3">
        {chosen.map((c) => (
          <li key={c.test.code} className="border-b border-rule py-2">
            <div className="flex items-baseline justify-between gap-2">
              <span className="font-semibold">{c.test.name}</span>
              <button type="button" className="plain text-small" onClick={() => setChosen(chosen.filter((x) => x !== c))}>
                Take off<span className="sr-only"> {c.test.name}</span>
              </button>
            </div>
            <p className="small">
              {c.test.specimen}, {c.test.tube}
            </p>
            <div className="mt-1 flex flex-wrap gap-1.5">
              {diagnoses.map((d) => (
                <button
                  key={d.code}
                  type="button"
                  title={d.title}
                  aria-pressed={c.diagnoses.includes(d.code)}
                  aria-label={`${d.code} ${d.title} justifies ${c.test.name}`}
                  className={`rounded-[3px] border px-2 py-0.5 font-mono text-small ${c.diagnoses.includes(d.code) ? "border-ink bg-ink text-leaf" : "border-edge text-faded"}`}
                  onClick={() => link(d.code, c.test.code)}
                >
                  {d.code}
                </button>
              ))}
            </div>
          </li>
        ))}
      </ul>
      {diagnoses.length === 0 && (
        <p className="mt-3 text-aside text-carried">
          There is no diagnosis to link. Add one to the visit or the problem list first.
        </p>
      )}
      {chosen.length > 1 && diagnoses.length > 1 && (
        <button
          type="button"
          className="plain mt-2"
          onClick={() => setChosen(chosen.map((c) => ({ ...c, diagnoses: diagnoses.map((d) => d.code) })))}
        >
          Link all to all <KeyCap k="Alt+A" />
        </button>
      )}
      <div className="mt-4 flex gap-2" role="radiogroup" aria-label="Priority">
        {priorities.map(([code, word]) => (
          // biome-ignore lint/a11y/useSemanticElements: a row of choices drawn as buttons
          <button
            key={code}
            type="button"
            role="radio"
            aria-checked={priority === code}
            className="choice"
            onClick={() => setPriority(code)}
          >
            {word}
          </button>
        ))}
      </div>
      <label className="mt-3 flex items-center gap-2">
        <input
          type="checkbox"
          className="size-4 accent-kelp"
          checked={collected}
          onChange={(e) => setCollected(e.target.checked)}
        />
        Specimen collected here, now
      </label>
      <Wrong says={error} className="mt-2 min-h-[21px] text-aside" />
      <button type="button" className="act mt-1" disabled={busy} onClick={() => void signAll()}>
        {maySign ? "Sign and send" : "Prepare for signature"} <KeyCap k="Ctrl+Enter" />
      </button>
      <button type="button" className="plain ml-3" onClick={close}>
        Leave <KeyCap k="Escape" />
      </button>
      {dialog}
    </Panel>
  );
}
