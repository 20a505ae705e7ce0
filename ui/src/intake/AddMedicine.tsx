import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { asks } from "../exchange/asks";
import type { Schemas } from "../exchange/client";
import { Care } from "../kit/Care";
import { AddOrDone, Form } from "../kit/Form";
import type { Acts } from "./useIntake";

type Hit = Schemas["MedicineHit"];
type Search = Schemas["MedicineSearch"];

const called = (h: Hit) => h.under || h.name;
const title = (h: Hit) => called(h).charAt(0).toUpperCase() + called(h).slice(1);

// What Enter adds: the first that is named so; what is only spelled nearly so is never chosen by itself.
const own = (hits: Hit[]) => {
  const first = hits.findIndex((h) => !h.near);
  return Math.max(first, 0);
};

/** AddMedicine takes a medicine and its dose in one line: "lisin 20 mg daily". What it will add stands
 * below, read, before Enter adds it. */
export function AddMedicine({ acts, patient, close }: { acts: Acts; patient: string; close: () => void }) {
  const [line, setLine] = useState("");
  const [since, setSince] = useState("");
  const [why, setWhy] = useState("");
  const [chosen, setChosen] = useState<number | null>(null);
  const first = useRef<HTMLInputElement>(null);
  const client = useQueryClient();
  const read = useRef<HTMLDivElement>(null);
  useEffect(() => first.current?.focus(), []);
  const asked = asks.medicines(patient, line.trim());
  const found = useQuery({ ...asked, enabled: line.trim().length > 1, placeholderData: (before) => before });
  const hits = line.trim().length > 1 ? (found.data?.hits ?? []) : [];
  const at = Math.min(chosen ?? own(hits), hits.length - 1);
  const hit = hits[at];

  // What will be added is brought into sight with its line.
  // biome-ignore lint/correctness/useExhaustiveDependencies: whenever something else was read
  useEffect(() => {
    read.current?.scrollIntoView({ block: "nearest" });
  }, [found.data]);

  async function add(asTyped = false) {
    if (line.trim() === "") return;
    // What stands on the screen may belong to fewer letters: unseen, only what was typed in full is added.
    const seen = found.data !== undefined && !found.isPlaceholderData;
    const now: Search = seen ? found.data : await client.fetchQuery(asked);
    const one = now.hits[seen ? at : own(now.hits)];
    if (!one || (now.noUnit && !asTyped)) return;
    if (!seen && !line.trim().toLowerCase().startsWith(called(one).toLowerCase())) return;
    if (
      await acts.add({
        list: "medicines",
        title: title(one),
        detail: now.dose,
        severity: "",
        since,
        until: "",
        why,
        typed: line,
        asTyped,
      })
    ) {
      setLine("");
      setSince("");
      setWhy("");
      setChosen(null);
      first.current?.focus();
    }
  }

  return (
    <Form className="flex w-full flex-wrap items-baseline gap-2 text-aside" act={() => add()} leave={close}>
      <input
        ref={first}
        aria-label="Medicine and dose"
        aria-describedby="medicine-read"
        placeholder="Medicine and dose: lisin 20 mg daily"
        className="field max-w-[300px] py-0.5"
        autoComplete="off"
        value={line}
        onChange={(e) => {
          setLine(e.target.value);
          setChosen(null);
        }}
        onKeyDown={(e) => {
          if (e.key !== "ArrowDown" && e.key !== "ArrowUp") return;
          e.preventDefault();
          const step = e.key === "ArrowDown" ? 1 : -1;
          if (hits.length > 0) setChosen((at + step + hits.length) % hits.length);
        }}
      />
      <input
        aria-label="Medicines: since"
        placeholder="Since: 2019-03"
        className="field max-w-[110px] py-0.5"
        value={since}
        onChange={(e) => setSince(e.target.value)}
      />
      <input
        aria-label="Medicines: why"
        placeholder="Why it was begun"
        className="field max-w-[170px] py-0.5"
        value={why}
        onChange={(e) => setWhy(e.target.value)}
      />
      <AddOrDone close={close} />
      {hits.length > 0 && (
        <div className="flex basis-full flex-wrap gap-1.5">
          {hits.map((h, i) => (
            <button
              key={h.name + h.under}
              type="button"
              tabIndex={-1}
              aria-pressed={i === at}
              className={`rounded-[3px] border px-2 py-0.5 hover:bg-kelp-wash ${i === at ? "border-kelp bg-kelp-wash font-semibold" : "border-edge"}`}
              onClick={() => {
                setChosen(i);
                first.current?.focus();
              }}
            >
              {title(h)}
              {h.under && <span className="text-faded"> {h.name}</span>}
              {h.near && <span className="text-faded"> – meant?</span>}
              {h.typed && (
                <span className="text-faded">
                  {" "}
                  as typed{h.ingredients.length > 0 ? `: ${h.ingredients.join(", ")}` : ", not in the catalogue"}
                </span>
              )}
              {h.warnings.some((w) => w.serious) && (
                <span className="font-semibold text-alarm"> ■ {h.warnings.find((w) => w.serious)?.kind}</span>
              )}
            </button>
          ))}
        </div>
      )}
      {hit && found.data && (
        <div id="medicine-read" ref={read} className="basis-full scroll-mb-4">
          <p>
            Adds <span className="font-semibold">{title(hit)}</span>
            {hit.under && ` (${hit.name})`}
            {found.data.reads && `, ${found.data.reads}`}
            {found.data.unread && !found.data.noUnit && (
              <span className="text-carried">, “{found.data.dose}” as it is typed: the dose was not read</span>
            )}
            {hit.near && <span className="text-carried"> – spelled nearly so: choose it with ↓ or leave it</span>}
            {hit.forms.length > 0 && <span className="small"> · {hit.forms.join("; ")}</span>}
          </p>
          {found.data.noUnit && (
            <p role="alert" className="text-carried">
              “{found.data.dose}”: of what? Write the unit, as in 10 mg or 1 tablet, or{" "}
              <button type="button" className="plain py-0" onClick={() => add(true)}>
                keep it as typed
              </button>
              .
            </p>
          )}
          <Care warnings={hit.warnings} />
        </div>
      )}
    </Form>
  );
}
