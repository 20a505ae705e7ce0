import { useState } from "react";

/** Race takes what the person states: as many of the list as fit, and in their own words. */
export function Race({ race, set, races }: { race: string[]; set: (v: string[]) => void; races: string[] }) {
  const listed = race.filter((x) => races.includes(x));
  const own = race.filter((x) => !races.includes(x)).join(", ");
  // While somebody writes, what they write is no choice of the list, though it may begin as one.
  const [writing, setWriting] = useState<{ listed: string[]; words: string } | null>(null);
  const ticked = writing?.listed ?? listed;
  return (
    <fieldset className="col-span-6 flex flex-wrap gap-x-4 gap-y-1 text-aside max-phone:col-span-2">
      <legend className="label">Race, as many as fit</legend>
      {races.map((x) => (
        <label key={x} className="flex items-center gap-1.5">
          <input
            type="checkbox"
            className="size-4 accent-kelp"
            checked={ticked.includes(x)}
            onChange={(e) => set(e.target.checked ? [...race, x] : race.filter((y) => y !== x))}
          />
          {x}
        </label>
      ))}
      <label className="flex items-baseline gap-1.5 whitespace-nowrap">
        in other words
        <input
          aria-label="Race, in other words"
          className="field max-w-[180px] py-0"
          value={writing?.words ?? own}
          onFocus={() => setWriting({ listed, words: own })}
          onBlur={() => setWriting(null)}
          onChange={(e) => {
            const words = e.target.value;
            setWriting({ listed: ticked, words });
            set(words.trim() === "" ? ticked : [...ticked, words]);
          }}
        />
      </label>
    </fieldset>
  );
}
