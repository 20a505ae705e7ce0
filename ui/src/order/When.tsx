import { inDays } from "../frame/time";
import { useMe } from "../session/me";
import { now, type Timing } from "./pad";

/** When says when something is to be done: now, on a day, or every so many weeks until. */
export function When({ timing: t, set, of }: { timing: Timing; set: (t: Timing) => void; of: string }) {
  const kind = t.every > 0 ? "standing" : t.due ? "day" : "now";
  const { today } = useMe();
  const later = (weeks: number) => inDays(today, 7 * weeks);
  return (
    <span className="flex flex-wrap items-baseline gap-x-2 gap-y-1">
      <select
        aria-label={`When, ${of}`}
        className="min-h-6 rounded-[3px] border border-edge bg-leaf px-1 py-0.5 text-small"
        value={kind}
        onChange={(e) =>
          set(
            e.target.value === "day"
              ? { ...now, due: later(2) }
              : e.target.value === "standing"
                ? { due: today.slice(0, 10), every: 4, until: later(24) }
                : now,
          )
        }
      >
        <option value="now">now, once</option>
        <option value="day">on a day</option>
        <option value="standing">standing</option>
      </select>
      {kind === "day" && (
        <input
          type="date"
          aria-label={`Day, ${of}`}
          className="field mt-0 w-[130px] py-0 text-small"
          value={t.due}
          onChange={(e) => set({ ...now, due: e.target.value })}
        />
      )}
      {kind === "standing" && (
        <>
          <span className="text-small">every</span>
          <input
            aria-label={`Weeks between, ${of}`}
            inputMode="numeric"
            className="field mt-0 w-9 py-0 text-small"
            value={String(t.every)}
            onChange={(e) => set({ ...t, every: Math.max(1, Number.parseInt(e.target.value, 10) || 1) })}
          />
          <span className="text-small">weeks from</span>
          <input
            type="date"
            aria-label={`From, ${of}`}
            className="field mt-0 w-[130px] py-0 text-small"
            value={t.due}
            onChange={(e) => set({ ...t, due: e.target.value })}
          />
          <span className="flex items-baseline gap-x-2">
            <span className="text-small">until</span>
            <input
              type="date"
              aria-label={`Until, ${of}`}
              className="field mt-0 w-[130px] py-0 text-small"
              value={t.until}
              onChange={(e) => set({ ...t, until: e.target.value })}
            />
          </span>
        </>
      )}
    </span>
  );
}
