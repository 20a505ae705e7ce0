import { useState } from "react";
import type { Schemas } from "../exchange/client";
import { KeyCap } from "../frame/keys";
import { Form } from "../kit/Form";

export type Entry = Schemas["RecordEntry"];
export type Decision = "take in" | "join" | "leave out";

/** measured tells whether an entry is a value. */
export const measured = (e: Entry) => e.list === "results" || e.list === "vitals";

/** changeable tells whether an entry may be taken in with changes: a problem is called as its code says. */
export const changeable = (e?: Entry) =>
  !!e && e.decision === "" && e.may.includes("take in") && (e.list !== "problems" || e.status === "ended");

/** alike parts entries by how they stand: what was decided of them, else what they are. */
export function alike(all: Entry[]): [string, Entry[]][] {
  const words: Record<string, string> = { "take in": "taken in", "leave out": "left out", join: "the same" };
  return [...Map.groupBy(all, (e) => words[e.decision] ?? (e.stand === "the same" ? "the same" : "new, undisputed"))];
}

/** Together are entries of a list that stand alike, in one line. */
export function Together({ how, some }: { how: string; some: Entry[] }) {
  const side: Record<string, string> = { H: "▴ ", HH: "▴ ", HU: "▴ ", L: "▾ ", LL: "▾ ", LU: "▾ ", A: "◆ ", AA: "◆ " };
  const says = (e: Entry) =>
    measured(e) ? `${e.title} ${side[e.flag] ?? ""}${e.detail.split(", range")[0]}${e.span ? ` (${e.span})` : ""}` : e.title;
  return (
    <tr className="border-b border-rule align-baseline text-aside">
      <td className="py-2 pr-3 pl-2">{how === "the same" ? some.map((e) => e.ours || e.title).join(", ") : ""}</td>
      <td className="bg-paper px-3 py-2 text-center font-semibold text-settled">
        {how}
        {some.length > 3 && (
          <span className="block font-normal text-faded">
            {some.length} {some.every(measured) ? "values" : "entries"}
          </span>
        )}
      </td>
      <td className={`py-2 pl-4 ${how === "the same" ? "text-faded" : ""}`}>{some.map(says).join("; ")}</td>
    </tr>
  );
}

/** Row is an entry beside the chart, with the decision between them. */
export function Row({
  e,
  on,
  signed,
  point,
  choose,
  change,
}: {
  e: Entry;
  on: boolean;
  signed: boolean;
  point: () => void;
  choose: (d: Decision) => void;
  change: () => void;
}) {
  return (
    <tr aria-current={on} className={`cursor-pointer border-b border-rule align-top ${on ? "bg-kelp-wash" : ""}`} onClick={point}>
      <td className="py-2 pr-3 pl-2">
        {e.ours ? (
          <>
            {e.ours}
            {e.oursSays && <span className="small block">{e.oursSays}</span>}
          </>
        ) : (
          <span className="text-faded">–</span>
        )}
      </td>
      <td className={`px-3 py-2 text-center ${on ? "" : "bg-paper"}`}>
        <b className={e.certain ? "text-settled" : ""}>
          {e.decision ||
            (e.stand === "differs" && e.differs[0] ? `differs: ${e.differs[0]}` : e.certain ? "new, undisputed" : e.stand)}
        </b>
        {on && !signed && e.decision === "" && (
          <span className="mt-1 flex flex-col items-center gap-1">
            {e.may.includes("take in") && (
              <>
                <button type="button" className="choice px-2 py-0 text-small" onClick={() => choose("take in")}>
                  take in <KeyCap k="1" />
                </button>
                {changeable(e) && (
                  <button type="button" className="choice px-2 py-0 text-small" onClick={change}>
                    with changes <KeyCap k="2" />
                  </button>
                )}
              </>
            )}
            {e.may.includes("join") && (
              <button type="button" className="choice px-2 py-0 text-small" onClick={() => choose("join")}>
                join <KeyCap k="3" />
              </button>
            )}
            {e.may.includes("leave out") && (
              <button type="button" className="choice px-2 py-0 text-small" onClick={() => choose("leave out")}>
                leave out <KeyCap k="4" />
              </button>
            )}
            {e.may.length === 0 && <span className="small">for a physician, or once it is confirmed</span>}
          </span>
        )}
      </td>
      <td className="py-2 pl-4">
        <button type="button" className="text-left hover:underline" onClick={point}>
          {e.title}
        </button>
        <span className="small block">
          {[
            e.codes[0]?.code,
            e.detail,
            e.reason && `for ${e.reason}`,
            e.span,
            e.status && e.status !== "active" && !e.doubt ? e.status : "",
            e.list === "medicines" && e.by && `by ${e.by}`,
            e.doubt && `not certain: ${e.doubt}`,
          ]
            .filter(Boolean)
            .join(" · ")}
        </span>
        {e.note && <span className="block text-small text-carried">remarked there: “{e.note}”</span>}
        {e.also.map((o) => (
          <span key={o.record + o.title} className="block text-small text-kelp">
            {o.house} says the same
          </span>
        ))}
      </td>
    </tr>
  );
}

/** Changes takes an entry in, called and described anew. */
export function Changes({
  e,
  take,
  leave,
}: {
  e: Entry;
  take: (more: { title: string; detail: string }) => void;
  leave: () => void;
}) {
  const [title, setTitle] = useState(e.title);
  const [detail, setDetail] = useState(e.detail);
  return (
    <Form className="margin-note mt-2" act={() => take({ title, detail })} leave={leave}>
      <label className="label block">
        What it is called here
        <input autoFocus className="field text-ink" value={title} onChange={(x) => setTitle(x.target.value)} />
      </label>
      <label className="label mt-1 block">
        What is said of it
        <input className="field text-ink" value={detail} onChange={(x) => setDetail(x.target.value)} />
      </label>
      <button type="submit" className="plain px-0">
        Take it in so <KeyCap k="Enter" />
      </button>
    </Form>
  );
}
