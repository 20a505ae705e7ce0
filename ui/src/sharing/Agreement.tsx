import { useState } from "react";
import { api, got } from "../exchange/client";
import { KeyCap } from "../frame/keys";
import { day } from "../frame/time";
import { Choice } from "../kit/Choice";
import { Form } from "../kit/Form";
import type { Act, Direction, Page } from "./page";

const ways = ["signed on paper", "signed in the portal", "spoken"];

/** Agreement is what the patient said of one direction, and the form in which they say it anew. */
export function Agreement({
  v,
  direction,
  saying,
  say: open,
  act,
  ask,
}: {
  v: Page;
  direction: Direction;
  saying: boolean;
  say: (d: Direction | "") => void;
  act: Act;
  ask: () => void;
}) {
  const c = direction === "in" ? v.in : v.out;
  const before = v.before.filter((b) => b.direction === direction).slice(1);
  const word = direction === "in" ? "Records of other houses come in" : "This chart goes out to other houses";
  return (
    <section aria-label={word}>
      <h3 className="border-b border-rule pb-1 text-title-s font-semibold">{word}</h3>
      <p className={`mt-2 font-semibold ${!c ? "text-carried" : c.given ? "text-settled" : "text-carried"}`}>
        {!c ? "Nobody has asked: nothing is shared" : c.given ? "Agreed" : "Not agreed: nothing goes this way"}
      </p>
      {c && (
        <p className="text-aside">
          {c.form}, {day(c.day)}
          {c.words && `: “${c.words}”`} <span className="text-faded">taken down by {c.by}</span>
        </p>
      )}
      {before.length > 0 && (
        <details className="small">
          <summary className="cursor-pointer">Before that</summary>
          {before.map((b) => (
            <p key={b.at}>
              {b.given ? "agreed" : "not agreed"}, {b.form}, {day(b.day)}, {b.by}
              {b.words && `: “${b.words}”`}
            </p>
          ))}
        </details>
      )}
      {saying ? (
        <Said v={v} direction={direction} given={!c?.given} act={act} ask={ask} leave={() => open("")} />
      ) : (
        <button type="button" className="plain mt-1 px-0" onClick={() => open(direction)}>
          {!c ? "Say what was agreed…" : c.given ? "Withdrawn…" : "Agreed again…"} <KeyCap k={direction === "in" ? "i" : "o"} />
        </button>
      )}
    </section>
  );
}

function Said({
  v,
  direction,
  given: first,
  act,
  ask,
  leave,
}: {
  v: Page;
  direction: Direction;
  given: boolean;
  act: Act;
  ask: () => void;
  leave: () => void;
}) {
  const [given, setGiven] = useState(first);
  const [form, setForm] = useState(ways[0] ?? "");
  const [on, setOn] = useState(v.today);
  const [words, setWords] = useState("");
  const keep = async () => {
    const done = await act(async () => {
      await got(
        api.POST("/api/patients/{id}/sharing/consents", {
          params: { path: { id: v.patient.id } },
          body: { direction, given, form, day: on, words },
        }),
      );
      return undefined;
    });
    if (!done) return;
    leave();
    if (given && v.exchange && !v.link.state) ask(); // nobody has to say what follows from it
  };
  return (
    <Form className="margin-note mt-2" act={keep} leave={leave}>
      <p className="flex flex-wrap gap-1.5">
        <Choice on={given} set={() => setGiven(true)}>
          agreed
        </Choice>
        <Choice on={!given} set={() => setGiven(false)}>
          not agreed
        </Choice>
      </p>
      <p className="mt-1.5 flex flex-wrap gap-1.5">
        {ways.map((w) => (
          <Choice key={w} on={form === w} set={() => setForm(w)}>
            {w}
          </Choice>
        ))}
      </p>
      <label className="label mt-1.5 block">
        Said on
        <input
          autoFocus
          type="date"
          max={v.today}
          className="field block w-44 text-ink"
          value={on}
          onChange={(e) => setOn(e.target.value)}
        />
      </label>
      <label className="label mt-1.5 block">
        In their words, or where the paper is
        <input className="field text-ink" value={words} onChange={(e) => setWords(e.target.value)} />
      </label>
      <button type="submit" className="act mt-2">
        Keep it <KeyCap k="Enter" />
      </button>
    </Form>
  );
}
