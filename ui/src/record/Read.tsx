import { useEffect, useRef, useState } from "react";
import type { Schemas } from "../exchange/client";
import { Why } from "../kit/Form";
import type { Entry } from "./Entries";

type View = Schemas["RecordView"];

// What needs no decision, in the order in which it is read.
const others: [string, string][] = [
  ["encounters", "Visits there"],
  ["devices", "Devices"],
  ["social", "Social history"],
  ["family", "Family history"],
  ["plan", "Planned there"],
  ["team", "Who treats them there"],
];

const lasting = ["social", "devices"];
const span = (e: Entry) => (e.span && lasting.includes(e.list) && !/ to |until/.test(e.span) ? `since ${e.span}` : e.span);
const says = (e: Entry) =>
  [e.title, e.detail, span(e), e.note && `“${e.note}”`, e.doubt && `not certain: ${e.doubt}`].filter(Boolean).join(", ");

/** Others are the entries that are read with the record and need no decision; what is of a history may be taken into ours. */
export function Others({ v, take, back }: { v: View; take: (e: Entry) => void; back: (e: Entry, reason: string) => void }) {
  const [asking, setAsking] = useState("");
  if (v.others.length === 0) return null;
  return (
    <section aria-label="Only read" className="mt-5 text-aside">
      <h3 className="border-b border-rule pb-1 text-title-s font-semibold">Read with the record</h3>
      {others.map(([id, word]) => {
        const of = v.others.filter((e) => e.list === id);
        if (of.length === 0) return null;
        const read = of.filter((e) => e.decision === "" && !e.may.includes("take in"));
        return (
          <div key={id} className="flex border-b border-rule py-1.5">
            <span className="label w-36 shrink-0">{word}</span>
            <ul className="min-w-0 flex-1">
              {of
                .filter((e) => !read.includes(e))
                .map((e) => (
                  <li key={e.ref} className="flex flex-wrap items-baseline gap-x-3">
                    <span>{says(e)}</span>
                    {e.decision ? (
                      <span className="font-semibold text-settled">
                        {e.decision === "take in" ? `taken into ${e.into}` : e.decision}
                      </span>
                    ) : (
                      <button
                        type="button"
                        aria-label={`Take “${e.title}” into ${e.into}`}
                        className="plain px-0 py-0"
                        onClick={() => take(e)}
                      >
                        into {e.into}
                      </button>
                    )}
                    {e.ours && !e.decision && (
                      <span className="text-carried">
                        ours: {e.ours} {e.oursSays}
                        {e.ends && ", which ends by it"}
                      </span>
                    )}
                    {e.decision &&
                      !v.signedBy &&
                      (asking === e.list + e.ref ? (
                        <Why
                          label="Why it is taken back"
                          says="Why it is taken back"
                          word="Take it back"
                          act={(reason) => back(e, reason)}
                          leave={() => setAsking("")}
                        />
                      ) : (
                        <button type="button" className="plain px-0 py-0" onClick={() => setAsking(e.list + e.ref)}>
                          Take it back…
                        </button>
                      ))}
                  </li>
                ))}
              {read.length > 0 && <li>{read.map(says).join("; ")}</li>}
            </ul>
          </div>
        );
      })}
    </section>
  );
}

/** Words are what the record says in its author's words about an entry. */
export function Words({ v, said }: { v: View; said: string }) {
  if (!said) return null;
  const doc = new DOMParser().parseFromString(v.sections.map((s) => s.html).join(""), "text/html");
  const node = [...doc.querySelectorAll("[data-said]")].find((n) => n.getAttribute("data-said") === said);
  const cells = [...(node?.querySelectorAll("td, th") ?? [])].map((c) => c.textContent).filter(Boolean);
  const text = cells.length > 0 ? cells.join(" · ") : node?.textContent;
  if (!text) return null;
  return (
    <>
      <h3 className="label mt-4">In their words</h3>
      <p className="border border-rule bg-leaf p-2 font-serif text-read">{text}</p>
    </>
  );
}

/** Whole is the record as its author laid it out; the words of the entry that is pointed at are marked, pointing at words shows their entry,
 * and words can be sought. */
export function Whole({ v, said, point }: { v: View; said: string; point: (said: string) => void }) {
  const host = useRef<HTMLDivElement>(null);
  const [words, setWords] = useState("");
  useEffect(() => {
    const all = [...(host.current?.querySelectorAll("[data-said]") ?? [])];
    for (const n of all) n.classList.toggle("bg-kelp-wash", n.getAttribute("data-said") === said && said !== "");
    all.find((n) => n.getAttribute("data-said") === said && said !== "")?.scrollIntoView({ block: "nearest" });
  }, [said]);
  const sections = v.sections.filter(
    (s) =>
      words.trim() === "" || `${s.title} ${s.html.replace(/<[^>]*>/g, " ")}`.toLowerCase().includes(words.trim().toLowerCase()),
  );
  return (
    <div ref={host} className="mt-3">
      <input
        aria-label="Search in the record"
        placeholder="Search in the record"
        className="field max-w-[320px] text-ink"
        value={words}
        onChange={(e) => setWords(e.target.value)}
      />
      {v.files.map((f) => (
        <p key={f.place} className="mt-3">
          <a
            className="text-kelp hover:underline"
            href={`/api/records/${v.id}/files/${f.place}`}
            target="_blank"
            rel="noreferrer"
          >
            {f.title || "Its file"}{" "}
            <span className="small">
              {f.type || "of a kind that is not said"}, {f.size} bytes
            </span>
          </a>
        </p>
      ))}
      {sections.map((s, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: sections have no name of their own and do not move
        <section key={i} className="mt-4 max-w-[76ch]">
          <h3 className="text-title-s font-semibold">{s.title}</h3>
          {/* biome-ignore lint/a11y/useKeyWithClickEvents lint/a11y/noStaticElementInteractions: by keyboard the entries are gone through, and mark their words */}
          <div
            className="record font-serif text-read"
            onClick={(e) => {
              const of = (e.target as Element).closest("[data-said]")?.getAttribute("data-said");
              if (of) point(of);
            }}
            // biome-ignore lint/security/noDangerouslySetInnerHtml: made by our own reader of a narrative, element by element, with all text escaped
            dangerouslySetInnerHTML={{ __html: s.html }}
          />
        </section>
      ))}
      {sections.length === 0 && <p className="small mt-3">Nothing of it says so.</p>}
    </div>
  );
}
