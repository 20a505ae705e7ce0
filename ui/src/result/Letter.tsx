import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, got, type Schemas } from "../exchange/client";

export type Meaning = Schemas["TellView"]["meaning"];

const meanings: [Meaning, string, string][] = [
  ["good news", "good news", "g"],
  ["nothing to do", "nothing to do", "n"],
  ["something follows", "follows", "f"],
];

/** Means is what one report means for the patient: a letter chooses, and leads to the next report. */
export function Means({ title, value, set }: { title: string; value: Meaning; set: (m: Meaning) => void }) {
  const host = useRef<HTMLFieldSetElement>(null);
  return (
    <fieldset
      ref={host}
      aria-label={`${title}: what it means`}
      className="mb-1"
      onKeyDown={(e) => {
        const m = meanings.find(([, , k]) => k === e.key && !e.altKey && !e.ctrlKey && !e.metaKey);
        if (!m) return;
        e.preventDefault();
        e.stopPropagation();
        set(m[0]);
        host.current?.nextElementSibling?.querySelector<HTMLElement>("button, textarea")?.focus();
      }}
    >
      <span className="block text-small">{title}</span>
      <span className="flex flex-wrap gap-1">
        {meanings.map(([m, word]) => (
          <button
            key={m}
            type="button"
            aria-pressed={value === m}
            className="choice px-1 py-0 text-small font-normal"
            onClick={() => set(value === m ? "" : m)}
          >
            {word}
          </button>
        ))}
      </span>
    </fieldset>
  );
}

/** Level is the grade at which a text reads, a moment after the typing rests. */
export function Level({ text }: { text: string }) {
  const [rested, setRested] = useState(text);
  useEffect(() => {
    const t = setTimeout(() => setRested(text), 400);
    return () => clearTimeout(t);
  }, [text]);
  const level = useQuery({
    queryKey: ["reading level", rested],
    queryFn: () => got(api.POST("/api/reading-level", { body: { text: rested } })),
    placeholderData: (was) => was,
    gcTime: 0,
  });
  if (!level.data?.known) return null;
  const hard = level.data.grade > 8;
  return (
    <p className={`small ${hard ? "text-carried" : ""}`}>
      Reads at grade {level.data.grade.toFixed(0)}
      {hard && ": shorter sentences and plainer words would reach more people"}
    </p>
  );
}
