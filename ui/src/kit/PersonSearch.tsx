import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { asks } from "../exchange/asks";
import type { Schemas } from "../exchange/client";
import { day } from "../frame/time";

type Person = Schemas["PatientView"];

/** PersonSearch finds another person than one, by name, birth date or record number. */
export function PersonSearch({
  label,
  but,
  chosen,
  choose,
  leave,
}: {
  label: string;
  but: string; // identifier of who is not meant
  chosen: Person | null;
  choose: (p: Person | null) => void;
  leave?: () => void;
}) {
  const [query, setQuery] = useState("");
  const found = useQuery({ ...asks.find(query), enabled: query.trim().length > 1 && !chosen });
  return (
    <>
      <label className="label mt-2 block">
        {label}
        <input
          autoFocus={leave !== undefined}
          className="field text-ink"
          value={chosen ? `${chosen.given} ${chosen.family}, ${chosen.record}` : query}
          onChange={(e) => {
            choose(null);
            setQuery(e.target.value);
          }}
          onKeyDown={(e) => e.key === "Escape" && leave?.()}
        />
      </label>
      {!chosen &&
        query.trim().length > 1 &&
        found.data
          ?.filter((p) => p.id !== but)
          .map((p) => (
            <button
              key={p.id}
              type="button"
              className="block w-full py-0.5 text-left hover:bg-kelp-wash"
              onClick={() => choose(p)}
            >
              {p.given} {p.family}, born {day(p.birthDate)}, {p.record}
            </button>
          ))}
    </>
  );
}
