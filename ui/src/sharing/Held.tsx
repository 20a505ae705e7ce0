import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useAct } from "../exchange/act";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { day } from "../frame/time";
import { Choice } from "../kit/Choice";
import { Form, Why } from "../kit/Form";
import { Wrong } from "../kit/Wrong";

type View = Schemas["HeldPage"];
type May = Schemas["MayHold"];
type Back = Schemas["KeptBack"];

const when = (at: string) => (at.length >= 10 ? day(at) : at);

/** Held is what the patient wishes to hold back from everybody but themself: what they said, what follows from it, and what nobody has looked
 * at yet, which stays back until somebody does. */
export function Held({ id, today, given }: { id: string; today: string; given: string }) {
  const client = useQueryClient();
  const page = useQuery(asks.keptBack(id));
  const [asking, setAsking] = useState("");
  const { act: inTurn, error } = useAct(`sharing ${id}`);
  const v: View | undefined = page.data;
  async function keep(h: { of: May["of"]; id: string; held: boolean; words: string; day?: string; law?: boolean }) {
    await inTurn(async () => {
      const now = await got(
        api.POST("/api/patients/{id}/sharing/held", { params: { path: { id } }, body: { day: today, ...h } }),
      );
      client.setQueryData(asks.keptBack(id).queryKey, now);
      void client.invalidateQueries({ queryKey: asks.sharing(id).queryKey });
      setAsking("");
    });
  }
  const first = v?.back.find((b) => b.ask);
  useKeys([
    { key: "b", label: "Hold something back", run: () => setAsking("new") },
    ...(first
      ? [
          {
            key: "1",
            label: `May go out: ${first.says}`,
            run: () => void keep({ of: "entry", id: first.ref, held: false, words: "" }),
          },
          {
            key: "2",
            label: `Stays back: ${first.says}`,
            run: () => void keep({ of: "entry", id: first.ref, held: true, words: "Looked at; it stays back." }),
          },
        ]
      : []),
  ]);
  if (page.error) return <p className="mt-5 text-aside">{say(page.error)}</p>;
  if (!v) return null;
  const quiet = v.back.filter((b) => !b.ask);
  return (
    <section className="mt-6 max-w-[900px]" aria-label="Held back from others">
      <h3 className="border-b border-rule pb-1 text-title-s font-semibold">Held back from others</h3>
      {v.wishes.length === 0 && (
        <p className="small mt-2">Nothing: a copy for others, the exchange and other programs may have all of the chart.</p>
      )}
      <ul>
        {v.wishes.map((w) => (
          <li key={w.of + w.id} className="flex flex-wrap items-baseline gap-x-4 border-b border-rule py-1.5 text-aside">
            <span className="min-w-0 flex-1">
              <b>{w.title}</b>
              {w.of !== "entry" && (
                <span className="text-faded"> {w.of === "subject" ? "whatever tells of it" : "the whole part"}</span>
              )}
              {w.words && `: “${w.words}”`}{" "}
              <span className="text-faded">
                {w.law ? "by law, " : ""}
                {day(w.day)}, taken down by {w.by}
              </span>
            </span>
            {asking === `end ${w.of} ${w.id}` ? (
              <Why
                label={`Why “${w.title}” may go out`}
                says="What the patient said"
                word="It may go out"
                act={(words) => keep({ of: w.of, id: w.id, held: false, words })}
                leave={() => setAsking("")}
              />
            ) : (
              <button type="button" className="plain px-0 py-0" onClick={() => setAsking(`end ${w.of} ${w.id}`)}>
                No longer…
              </button>
            )}
          </li>
        ))}
      </ul>
      {v.ask > 0 && (
        <div className="margin-note my-3 border-carried">
          <b>
            {v.ask} to look at: {v.ask === 1 ? "it stays" : "they stay"} back until somebody says.
          </b>{" "}
          Found by words, codes and medicines; what says it otherwise is not found.
          <ul className="mt-1">
            {v.back
              .filter((b) => b.ask)
              .map((b) => (
                <Asked
                  key={b.ref}
                  b={b}
                  keys={b === first}
                  goes={() => void keep({ of: "entry", id: b.ref, held: false, words: "" })}
                  stays={() => void keep({ of: "entry", id: b.ref, held: true, words: "Looked at; it stays back." })}
                />
              ))}
          </ul>
        </div>
      )}
      {quiet.length > 0 && (
        <details className="mt-2 text-aside">
          <summary className="cursor-pointer">
            {quiet.filter((b) => b.why).length} stay back, {quiet.filter((b) => !b.why).length} looked at and let go
          </summary>
          <ul>
            {quiet.map((b) => (
              <li key={b.ref} className="flex gap-x-3 py-0.5">
                <span className="min-w-0 flex-1">
                  {b.says} <span className="text-faded">{when(b.at)}</span>
                </span>
                <span className="text-faded">{b.why || `may go out: ${b.cleared}`}</span>
              </li>
            ))}
          </ul>
        </details>
      )}
      {asking === "new" ? (
        <New v={v} today={today} given={given} keep={keep} leave={() => setAsking("")} />
      ) : (
        <button type="button" className="plain mt-1 px-0" onClick={() => setAsking("new")}>
          Hold something back… <KeyCap k="b" />
        </button>
      )}
      <Wrong says={error} />
    </section>
  );
}

// Asked is something that tells of what is held back, or that nobody here can look into.
function Asked({ b, keys, goes, stays }: { b: Back; keys: boolean; goes: () => void; stays: () => void }) {
  return (
    <li className="flex flex-wrap items-baseline gap-x-3 py-1">
      <span className="min-w-0 flex-1">
        {b.says} <span className="text-faded">{when(b.at)}</span>
        <span className="small block">{b.why}</span>
      </span>
      <button type="button" className="choice px-2 py-0.5 text-small" onClick={goes}>
        may go out<span className="sr-only">: {b.says}</span> {keys && <KeyCap k="1" />}
      </button>
      <button type="button" className="choice px-2 py-0.5 text-small" onClick={stays}>
        stays back<span className="sr-only">: {b.says}</span> {keys && <KeyCap k="2" />}
      </button>
    </li>
  );
}

// New is the form in which something is held back.
function New({
  v,
  today,
  given,
  keep,
  leave,
}: {
  v: View;
  today: string;
  given: string;
  keep: (h: { of: May["of"]; id: string; held: boolean; words: string; day: string; law: boolean }) => Promise<void>;
  leave: () => void;
}) {
  const [what, setWhat] = useState<May | undefined>();
  const [find, setFind] = useState("");
  const [words, setWords] = useState("");
  const [on, setOn] = useState(today);
  const [law, setLaw] = useState(false);
  const stands = (m: May) => v.wishes.some((w) => w.of === m.of && w.id === m.id);
  const of = (kind: May["of"]) => v.may.filter((m) => m.of === kind && !stands(m));
  const sought = find.trim().toLowerCase();
  const found = sought ? of("entry").filter((m) => m.title.toLowerCase().includes(sought)) : [];
  return (
    <Form
      className="margin-note mt-2"
      act={() => what && keep({ of: what.of, id: what.id, held: true, words, day: on, law })}
      leave={leave}
    >
      {(["subject", "part"] as const).map((kind) => (
        <fieldset key={kind} className="mt-1">
          <legend className="label">{kind === "subject" ? "Whatever tells of" : "A whole part"}</legend>
          <div className="mt-1 flex flex-wrap gap-1.5">
            {of(kind).map((m) => (
              <Choice key={m.id} on={what === m} set={() => setWhat(m)}>
                {m.title}
              </Choice>
            ))}
          </div>
        </fieldset>
      ))}
      <label className="label mt-2 block">
        Or one entry, note or document
        <input
          className="field max-w-[360px] text-ink"
          placeholder="a word of it"
          value={find}
          onChange={(e) => setFind(e.target.value)}
        />
      </label>
      {found.length > 0 && (
        <div className="mt-1 flex flex-wrap gap-1.5">
          {found.slice(0, 12).map((m) => (
            <Choice key={m.id} on={what?.id === m.id} set={() => setWhat(m)}>
              {m.title} {m.says && <span className="text-faded">{when(m.says)}</span>}
            </Choice>
          ))}
          {found.length > 12 && <span className="small">{found.length - 12} more: type more of it.</span>}
        </div>
      )}
      {sought && found.length === 0 && <p className="small">Nothing in the chart has these words in its title.</p>}
      <div className="mt-2 flex flex-wrap items-end gap-x-4">
        <label className="label block min-w-[240px] flex-1">
          {law ? "Which law" : `What ${given} said`}
          <input autoFocus className="field text-ink" value={words} onChange={(e) => setWords(e.target.value)} />
        </label>
        <label className="label block">
          On
          <input
            type="date"
            max={today}
            className="field block w-44 text-ink"
            value={on}
            onChange={(e) => setOn(e.target.value)}
          />
        </label>
        <Choice on={law} set={() => setLaw(!law)}>
          by law
        </Choice>
      </div>
      <p className="small mt-1">{given}'s own copy stays whole. What waits for the exchange and has not gone is taken back.</p>
      <button type="submit" className="act mt-2" disabled={!what || words.trim() === ""}>
        Hold {what ? `“${what.title}”` : "it"} back <KeyCap k="Enter" />
      </button>
    </Form>
  );
}
