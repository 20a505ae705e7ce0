import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { asks } from "../../exchange/asks";
import { api, got, type Schemas, say } from "../../exchange/client";
import { KeyCap, useKeys } from "../../frame/keys";
import { useLeft } from "../../frame/left";
import { Filter } from "../../kit/Filter";
import { Form } from "../../kit/Form";
import { Panel } from "../../kit/Panel";
import { Wrong } from "../../kit/Wrong";
import { useRight } from "../../session/me";
import { Fax } from "../../sign/Fax";
import { useSigning } from "../../sign/useSigning";
import type { Note } from "../useNote";

type Letter = Schemas["LetterView"];
type Leaflet = Schemas["LeafletView"];
type Choice = { id: string; title: string; under: string; strong: boolean };

const to: Record<string, string> = { colleague: "to a colleague", patient: "to the patient", other: "to others" };

/** Letters is what goes out in words: letters from the clinic's forms, leaflets, and a
 * message to the patient. One list, filtered by a few letters. */
export function Letters({ note, close }: { note: Note; close: () => void }) {
  const letters = useQuery(asks.letters(note.id));
  const [chosen, setChosen] = useState("");
  const [filter, setFilter] = useState("");
  const input = useRef<HTMLInputElement>(null);
  const data = letters.data;
  const loaded = letters.isSuccess;
  useEffect(() => {
    if (loaded && !chosen) input.current?.focus();
  }, [loaded, chosen]);
  const back = () => (chosen ? setChosen("") : close());
  useKeys([{ key: "Escape", label: "Leave letters and leaflets", run: back }]);
  const leaflet = (l: Leaflet): Choice => ({
    id: `leaflet ${l.id}`,
    title: l.title,
    under: l.document ? "leaflet, given at this visit" : l.fits ? "leaflet for a diagnosis of this visit" : "leaflet",
    strong: l.fits,
  });
  const all: Choice[] = [
    ...(data?.portal ? [{ id: "message", title: "Message to the patient", under: "through the portal", strong: false }] : []),
    ...(data?.letters ?? []).map((l) => ({ id: `letter ${l.id}`, title: l.title, under: to[l.to] ?? "", strong: false })),
    ...(data?.leaflets ?? []).map(leaflet),
  ].toSorted((a, b) => Number(b.strong) - Number(a.strong));
  const list = all.filter((c) =>
    filter
      .toLowerCase()
      .split(/\s+/)
      .every((w) => `${c.title} ${c.under}`.toLowerCase().includes(w)),
  );
  const letter = data?.letters.find((l) => `letter ${l.id}` === chosen);
  const given = data?.leaflets.find((l) => `leaflet ${l.id}` === chosen);
  const title = all.find((c) => c.id === chosen)?.title ?? "Letters and leaflets";
  return (
    <Panel label="Letters and leaflets" title={title} leave={back} word={chosen ? "Others" : "Leave"} column>
      {letters.error && <Wrong says={say(letters.error)} />}
      {!chosen && (
        <>
          <Filter
            label="Filter letters and leaflets"
            input={input}
            value={filter}
            set={setFilter}
            first={() => list[0] && setChosen(list[0].id)}
          />
          {(data?.messages ?? []).length > 0 && !filter && (
            <section aria-label="Written to the patient" className="mb-2">
              {data?.messages.slice(0, 3).map((m) => (
                <Sent key={m.id} sent={m} />
              ))}
            </section>
          )}
          <ul>
            {list.map((c) => (
              <li key={c.id}>
                <button type="button" className="block w-full py-1 text-left hover:bg-kelp-wash" onClick={() => setChosen(c.id)}>
                  <span className={c.strong ? "font-semibold" : ""}>{c.title}</span>
                  <span className="text-faded"> · {c.under}</span>
                </button>
              </li>
            ))}
          </ul>
          {loaded && list.length === 0 && <p className="small">Nothing of that name. Forms are changed under Forms.</p>}
        </>
      )}
      {letter && <Write key={letter.id} note={note} letter={letter} portal={data?.portal ?? false} />}
      {given && <Give key={given.id} note={note} leaflet={given} again={() => void letters.refetch()} />}
      {chosen === "message" && (
        <Message
          note={note}
          done={() => {
            setChosen("");
            setFilter("");
            void letters.refetch();
          }}
        />
      )}
    </Panel>
  );
}

/** Sent says how something that was sent stands. */
export function Sent({ sent: m }: { sent: Schemas["SentView"] }) {
  const stands: Record<string, string> = {
    waiting: m.problem || "on its way",
    delivered: "taken by the portal",
    sent: "taken by the other side",
    refused: `refused: ${m.problem}`,
    settled: `refused (${m.problem}), then ${m.settled}`,
  };
  return (
    <p className={`margin-note mb-3 ${m.state === "refused" ? "border-alarm" : ""}`}>
      <span className="line-clamp-3 whitespace-pre-line">{m.says}</span>
      <span className={m.state === "refused" ? "text-alarm" : "text-faded"}>
        {m.by}, {stands[m.state]}
      </span>
    </p>
  );
}

// Write fills what a letter leaves open, and signs it.
function Write({ note, letter, portal }: { note: Note; letter: Letter; portal: boolean }) {
  const client = useQueryClient();
  const maySign = useRight("sign a note");
  // What was typed, and the words of the chart it was typed into.
  const [typed, setTyped, given] = useLeft<{ of: string; text?: string; name: string; fills: Record<string, string> }>(
    `letter ${note.id} ${letter.id}`,
    () => ({ of: letter.text, name: "", fills: {} }),
    (t) => t.text === undefined && t.name === "" && Object.values(t.fills).every((f) => f === ""),
  );
  const { name, fills } = typed;
  const text = typed.text ?? letter.text;
  const [error, setError] = useState("");
  const [doc, setDoc] = useState<Schemas["DocumentView"]>();
  const [told, setTold] = useState("");
  const { sign, dialog, busy } = useSigning();
  const open = [...new Set(text.match(/\{(\?[^{}]*|[a-z]+)\}/g) ?? [])];
  const filled = open.reduce((t, f) => (fills[f]?.trim() ? t.replaceAll(f, fills[f].trim()) : t), text);
  const first = useRef<HTMLInputElement>(null);
  useEffect(() => first.current?.focus(), []);
  const print = useRef<HTMLAnchorElement>(null);
  const filed = doc?.id;
  useEffect(() => {
    // After the dialog of the secret has given the focus back; never from a field in which
    // somebody is writing by then.
    const focus = () => document.activeElement instanceof HTMLInputElement || print.current?.focus();
    if (filed) requestAnimationFrame(() => requestAnimationFrame(focus));
  }, [filed]);
  async function write() {
    setError("");
    await sign({
      title: `Sign: ${letter.title}`,
      lines: [`${note.visit.patient.given} ${note.visit.patient.family}`, name || (to[letter.to] ?? "")],
      act: async (secret) => {
        const d = await got(
          api.POST("/api/notes/{id}/letters", {
            params: { path: { id: note.id } },
            body: { form: letter.id, to: name, text: filled, secret },
          }),
        );
        given();
        setDoc(d);
      },
      done: () => void client.invalidateQueries({ queryKey: ["chart", note.visit.patient.id] }),
      failed: (e) => setError(say(e)),
    });
  }
  async function send() {
    if (!doc) return;
    try {
      await got(
        api.POST("/api/notes/{id}/messages", {
          params: { path: { id: note.id } },
          body: { id: `letter-${doc.id}`, text: `${letter.title}: please read the letter attached.`, document: doc.id },
        }),
      );
      setTold("On its way to the portal; an open line of yours until it is taken.");
    } catch (e) {
      setTold(say(e));
    }
  }
  useKeys(maySign && !doc ? [{ key: "Ctrl+Enter", label: "Sign and file the letter", run: () => void write() }] : []);
  if (doc)
    return (
      <div>
        <p role="status" className="mb-3">
          Signed and filed, folio {doc.folio}.{" "}
          <a
            ref={print}
            className="font-semibold text-kelp underline"
            href={`/api/documents/${doc.id}`}
            target="_blank"
            rel="noreferrer"
          >
            Print it
          </a>
        </p>
        <Fax document={doc.id} />
        {letter.to === "patient" && portal && !told && (
          <button type="button" className="choice mt-3" onClick={() => void send()}>
            Send through the portal
          </button>
        )}
        <p role="status" className="mt-2">
          {told}
        </p>
      </div>
    );
  return (
    <Form className="flex min-h-0 flex-1 flex-col" act={write}>
      {letter.to !== "patient" && (
        <label className="label block">
          To, as it stands on the letter
          <input
            ref={first}
            className="field py-0.5 text-ink"
            placeholder={letter.to === "colleague" ? "Northsound Hospital, rheumatology" : "nobody by name"}
            value={name}
            onChange={(e) => setTyped({ ...typed, name: e.target.value })}
          />
        </label>
      )}
      {open.map((f, i) => (
        <label key={f} className="label mt-1 block first-letter:uppercase">
          {f.replace(/^\{\??|\}$/g, "")}
          <input
            ref={letter.to === "patient" && i === 0 ? first : undefined}
            className="field py-0.5 text-ink"
            value={fills[f] ?? ""}
            onChange={(e) => setTyped({ ...typed, fills: { ...fills, [f]: e.target.value } })}
          />
        </label>
      ))}
      <label className="label mt-2 flex min-h-[240px] flex-1 flex-col">
        The letter
        <textarea
          className="box mt-1 min-h-0 flex-1 resize-none font-serif text-read leading-[1.45] text-ink"
          value={filled === text ? text : filled}
          onChange={(e) => setTyped({ ...typed, text: e.target.value, fills: {} })}
        />
      </label>
      {typed.text !== undefined && typed.of !== letter.text && (
        <p className="mt-1 text-carried">
          The chart has changed since these words were begun: check them.{" "}
          <button type="button" className="plain py-0 text-aside" onClick={() => setTyped({ of: letter.text, name, fills: {} })}>
            Begin from the chart
          </button>
        </p>
      )}
      <Wrong says={error} className="min-h-[20px]" />
      {maySign ? (
        <button type="submit" className="act self-start" disabled={busy}>
          Sign and file <KeyCap k="Ctrl+Enter" />
        </button>
      ) : (
        <p className="small">A physician signs letters.</p>
      )}
      {dialog}
    </Form>
  );
}

// Give files a leaflet as given and opens it for printing.
function Give({ note, leaflet, again }: { note: Note; leaflet: Leaflet; again: () => void }) {
  const client = useQueryClient();
  const [error, setError] = useState("");
  async function give() {
    try {
      const d = await got(
        api.POST("/api/notes/{id}/leaflets", { params: { path: { id: note.id } }, body: { leaflet: leaflet.id } }),
      );
      window.open(`/api/documents/${d.id}`, "_blank", "noopener");
      again();
      await client.invalidateQueries({ queryKey: ["note", note.id] });
      await client.invalidateQueries({ queryKey: ["chart", note.visit.patient.id] });
    } catch (e) {
      setError(say(e));
    }
  }
  useKeys([{ key: "Ctrl+Enter", label: "Give and print the leaflet", run: () => void give() }]);
  const button = useRef<HTMLButtonElement>(null);
  useEffect(() => button.current?.focus(), []);
  return (
    <>
      <button ref={button} type="button" className="act self-start" onClick={() => void give()}>
        {leaflet.document ? "Print it again" : "Give and print"} <KeyCap k="Ctrl+Enter" />
      </button>
      <p role="status" className="my-2 min-h-[20px]">
        {error ? <span className="text-alarm">{error}</span> : leaflet.document && "Given at this visit and filed."}
      </p>
      <p className="font-serif text-read leading-[1.5] whitespace-pre-line">{leaflet.text}</p>
      <p className="small mt-3">After: {leaflet.source}</p>
    </>
  );
}

// Message writes to the patient through the portal.
function Message({ note, done }: { note: Note; done: () => void }) {
  // The same message sent again is one message, also when it was left in between.
  const [{ id, text }, setMessage, given] = useLeft(
    `message ${note.id}`,
    () => ({ id: crypto.randomUUID() as string, text: "" }),
    (m) => m.text === "",
  );
  const setText = (text: string) => setMessage({ id, text });
  const [error, setError] = useState("");
  const under = useRef(false);
  async function send() {
    if (under.current) return;
    under.current = true;
    try {
      await got(api.POST("/api/notes/{id}/messages", { params: { path: { id: note.id } }, body: { id, text } }));
      given();
      done();
    } catch (e) {
      setError(say(e));
    }
    under.current = false;
  }
  useKeys([{ key: "Ctrl+Enter", label: "Send the message", run: () => void send() }]);
  return (
    <>
      <label className="label block">
        Message
        <textarea
          autoFocus
          rows={9}
          maxLength={5000}
          className="box mt-1 font-serif text-read text-ink"
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
      </label>
      <Wrong says={error} className="min-h-[20px]" />
      <button type="button" className="act self-start" onClick={() => void send()}>
        Send <KeyCap k="Ctrl+Enter" />
      </button>
      <p className="small mt-3">It is sealed as written, and stays an open line of yours until the portal has taken it.</p>
    </>
  );
}
