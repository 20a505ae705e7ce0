import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { day } from "../frame/time";
import { moment } from "../kit/Course";
import { Why } from "../kit/Form";
import { Whose } from "../kit/Whose";
import { Wrong } from "../kit/Wrong";
import { useSigning } from "../sign/useSigning";

/** TelephonePage is an order given by telephone, which its author signs as theirs; or, where they do not own to it, what
 * whoever took it down has to answer. */
export function TelephonePage({ id, next }: { id: string; next: string }) {
  const opened = useQuery(asks.telephone(id));
  return (
    <main id="page" className="min-w-0 flex-1 overflow-auto bg-leaf px-6 py-5">
      {opened.error && <p className="small">{say(opened.error)}</p>}
      {opened.data && <Whole key={id} opened={opened.data} next={next} />}
    </main>
  );
}

function Whole({ opened: { patient: p, telephone: o }, next }: { opened: Schemas["OpenedTelephone"]; next: string }) {
  const client = useQueryClient();
  const go = useNavigate();
  const [asking, setAsking] = useState(false);
  const [error, setError] = useState("");
  const { sign, dialog, busy } = useSigning();
  const at = { params: { path: { id: o.id } } };
  const onward = () => {
    go(next);
    void client.invalidateQueries({ queryKey: ["desk"] });
    void client.invalidateQueries({ queryKey: ["chart", p.id] });
  };
  const own = () =>
    void sign({
      title: "Sign the order as yours",
      lines: [`${p.given} ${p.family}, born ${day(p.birthDate)}`, ...o.items.map((i) => i.title)],
      act: (secret) => got(api.POST("/api/telephone/{id}/own", { ...at, body: { secret } })),
      done: onward,
      failed: (e) => setError(say(e)),
    });
  async function answer(text: string) {
    setError("");
    try {
      await got(
        o.disputed
          ? api.POST("/api/telephone/{id}/redress", { ...at, body: { text } })
          : api.POST("/api/telephone/{id}/disown", { ...at, body: { text } }),
      );
      onward();
    } catch (e) {
      setError(say(e));
    }
  }
  const mine = o.mine && !o.disputed;
  useKeys(mine ? [{ key: "Ctrl+Enter", label: "Sign the order as yours, and on", run: own }] : []);
  return (
    <>
      <Whose patient={p} />
      <p className="mt-3">
        <strong className="font-semibold">Ordered by telephone by {o.from}</strong>{" "}
        <span className="small">
          taken down and read back by {o.by}, {moment(o.at)}
        </span>
      </p>
      <ul className="mt-2 max-w-[70ch]">
        {o.items.map((i) => (
          <li key={i.id} className="border-b border-rule py-1.5 font-serif text-title">
            <Link className="hover:underline" to={`/desk/${i.kind}/${i.id}`}>
              {i.title}
            </Link>
          </li>
        ))}
      </ul>
      {o.why && (
        <p className="mt-3 max-w-[70ch] text-alarm">
          <span className="font-semibold">■ Not given so.</span> {o.from}: {o.why} It is out all the same until a physician
          cancels it.
        </p>
      )}
      {o.state !== "open" && (
        <p className="small mt-3">
          {o.state}
          {o.answer && `: ${o.answer}`}
        </p>
      )}
      {mine && !asking && (
        <p className="mt-3 flex gap-3">
          <button type="button" className="act" disabled={busy} onClick={own}>
            Sign as mine <KeyCap k="Ctrl+Enter" />
          </button>
          <button type="button" className="plain" onClick={() => setAsking(true)}>
            I did not give it so…
          </button>
        </p>
      )}
      {o.mine && asking && (
        <div className="mt-3 flex max-w-[70ch]">
          <Why
            label={o.disputed ? "What was done about it" : "What is wrong with it"}
            says={o.disputed ? "What was done about it, and who was told" : "What is wrong with it"}
            word={o.disputed ? "Settle it" : "Give it back"}
            act={answer}
            leave={() => setAsking(false)}
          />
        </div>
      )}
      {o.mine && o.disputed && !asking && (
        <button type="button" className="act mt-3" onClick={() => setAsking(true)}>
          Say what was done…
        </button>
      )}
      {!o.mine && o.state === "open" && <p className="small mt-3">It waits for {o.disputed ? o.by : o.from}.</p>}
      <Wrong says={error} className="mt-2 font-semibold" />
      {dialog}
    </>
  );
}
