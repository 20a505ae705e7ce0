import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useEffect, useRef, useState } from "react";
import { Link, useParams } from "react-router";
import { useChart } from "../chart/Chart";
import { Spine } from "../chart/Spine";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { recentCharts } from "../frame/recent";
import { clock, day } from "../frame/time";
import { OrderComposer } from "../order/OrderComposer";
import { OrderRow } from "../order/OrderRow";
import { useRight } from "../session/session";
import { useSigning } from "../sign/useSigning";
import { Diagnoses } from "./Diagnoses";
import { PartEditor } from "./PartEditor";
import { useSaver } from "./useSaver";

type Note = Schemas["NoteView"];
type PartView = Schemas["PartView"];

const hints: Record<string, string> = {
  subjective: "What the patient tells",
  objective: "What is seen, heard and measured",
  assessment: "What it means",
  plan: "What happens next",
};
const letters: Record<string, [string, string]> = {
  subjective: ["S", "1"],
  objective: ["O", "2"],
  assessment: ["A", "3"],
  plan: ["P", "4"],
};

/** Visit is the page on which a visit is documented. */
export default function Visit() {
  const { id = "", visit = "" } = useParams();
  const chart = useChart(id);
  const noteId = chart.data?.visits?.find((v) => v.id === visit)?.noteId ?? "";
  const note = useQuery({
    queryKey: ["note", noteId],
    queryFn: () => got(api.GET("/api/notes/{id}", { params: { path: { id: noteId } } })),
    enabled: noteId !== "",
  });
  useEffect(() => {
    const p = chart.data?.patient;
    if (p) recentCharts.show({ id, name: `${p.given} ${p.family}`, to: `/patients/${id}/visits/${visit}` });
  }, [chart.data, id, visit]);
  if (chart.error ?? note.error) return <p className="p-8">{say(chart.error ?? note.error)}</p>;
  if (!chart.data || (noteId && !note.data)) return <p className="p-8 small">Opening the note…</p>;
  if (!note.data) return <p className="p-8">This visit has no note yet. Start it from Today.</p>;
  return (
    <div className="flex min-h-0 flex-1 max-[1179px]:flex-col max-[1179px]:overflow-auto">
      <Spine chart={chart.data} />
      {note.data.sealed ? (
        <Sealed key={noteId} note={note.data} chart={chart.data} />
      ) : (
        <Draft key={noteId} note={note.data} chart={chart.data} />
      )}
    </div>
  );
}

function Title({ note, children }: { note: Note; children: ReactNode }) {
  const v = note.visit;
  return (
    <div className="mb-3.5 flex items-baseline gap-3 border-b border-rule pb-2.5">
      <h2 className="text-[19px]">{v.kind}</h2>
      <span className="small flex-1">
        {day(v.startsAt)}, {clock(v.startsAt)}
        {v.room && ` · room ${v.room}`} · {v.reason}
      </span>
      <span className="small" role="status">
        {children}
      </span>
    </div>
  );
}

/** useWriters says who else has this note open for writing; they are told of us. */
function useWriters(noteId: string) {
  const window_ = useRef(crypto.randomUUID());
  const call = (leave: boolean) =>
    got(
      api.POST("/api/notes/{id}/writing", {
        params: { path: { id: noteId } },
        body: { window: window_.current, leave },
        headers: { "X-Refresh": "1" },
        keepalive: leave,
      }),
    );
  const others = useQuery({
    queryKey: ["writing", noteId],
    queryFn: () => call(false),
    refetchInterval: 10_000,
    staleTime: 0,
    retry: false,
  });
  const leave = useRef(call);
  leave.current = call;
  useEffect(() => {
    const go = () => void leave.current(true).catch(() => {});
    window.addEventListener("pagehide", go);
    return () => {
      window.removeEventListener("pagehide", go);
      go();
    };
  }, []);
  return others.data ?? [];
}

function Draft({ note, chart }: { note: Note; chart: Schemas["ChartView"] }) {
  const client = useQueryClient();
  const maySign = useRight("sign a note");
  const mayOrder = useRight("sign an order");
  const mayProblems = useRight("change the problem list");
  const [ordering, setOrdering] = useState(false);
  const [error, setError] = useState("");
  const { sign, dialog, busy } = useSigning();
  const writers = useWriters(note.id);
  const statuses = useRef<Record<string, string>>({});
  const [, redraw] = useState(0);
  const flushes = useRef<Record<string, () => Promise<number>>>({});
  const focus = useRef<Record<string, () => void>>({});
  const start = note.parts?.find((p) => p.text === "")?.part ?? "plan";
  // biome-ignore lint/correctness/useExhaustiveDependencies: only when the note is opened, not when a part fills
  useEffect(() => {
    focus.current[start]?.();
  }, []);

  async function signNote() {
    setError("");
    const versions: Record<string, number> = {};
    try {
      for (const [part, flush] of Object.entries(flushes.current)) versions[part] = await flush();
    } catch (e) {
      setError(say(e));
      return;
    }
    const now = client.getQueryData<Note>(["note", note.id]) ?? note;
    await sign({
      title: "Sign and seal the note",
      lines: [
        `${chart.patient.given} ${chart.patient.family}, born ${day(chart.patient.birthDate)}`,
        `${note.visit.kind}, ${day(note.visit.startsAt)}`,
        `${now.diagnoses?.length ?? 0} diagnoses, ${now.diagnoses?.[0] ? `first-listed ${now.diagnoses[0].title}` : "none first-listed"}`,
      ],
      act: (secret) =>
        got(
          api.POST("/api/notes/{id}/sign", {
            params: { path: { id: note.id } },
            body: { secret, versions, listVersion: now.listVersion },
          }),
        ),
      done: () => void client.invalidateQueries({ queryKey: ["note", note.id] }),
      failed: (e) => {
        setError(say(e));
        void client.invalidateQueries({ queryKey: ["note", note.id] });
      },
    });
  }
  useKeys([
    ...Object.entries(letters).map(([part, [, k]]) => ({
      key: `Alt+${k}`,
      label: `Write the ${part}`,
      run: () => focus.current[part]?.(),
    })),
    ...Object.entries(letters).map(([part, [, k]]) => ({
      key: k,
      label: `Write the ${part}`,
      run: () => focus.current[part]?.(),
    })),
    ...(mayOrder ? [{ key: "o", label: "Order a laboratory test", run: () => setOrdering(true) }] : []),
    ...(maySign && !ordering ? [{ key: "Ctrl+Enter", label: "Sign the note", run: () => void signNote() }] : []),
  ]);
  const orders = (chart.orders ?? []).filter((o) => o.visitId === note.visit.id);
  const worst =
    Object.values(statuses.current).find((s) => s.startsWith("Not saved")) ??
    Object.values(statuses.current).find((s) => s === "Saving…" || s === "Two versions");
  const newest = Object.values(statuses.current)
    .filter((s) => s.startsWith("Saved"))
    .sort()
    .at(-1);
  return (
    <>
      <main id="page" className="flex min-h-0 min-w-0 flex-1 flex-col bg-leaf max-[1179px]:flex-none">
        <div className="min-h-0 flex-1 overflow-auto max-[1179px]:overflow-visible py-5 pr-8 pl-4 max-[700px]:pr-3">
          <div className="ml-12 max-[700px]:ml-0">
            <Title note={note}>{worst ?? newest ?? ""}</Title>
          </div>
          {note.parts?.map((p) => (
            <Part
              key={p.part}
              note={note}
              part={p}
              register={(flush) => {
                flushes.current[p.part] = flush;
              }}
              onStatus={(s) => {
                if (statuses.current[p.part] === s) return;
                statuses.current[p.part] = s;
                redraw((n) => n + 1);
              }}
              focusRef={(f) => {
                focus.current[p.part] = f;
              }}
            >
              {p.part === "assessment" && <Diagnoses note={note} mayProblems={mayProblems} />}
              {p.part === "plan" && orders.length > 0 && (
                <ul className="mt-2">
                  {orders.map((o) => (
                    <li key={o.id} className="border-t border-rule py-1.5">
                      <OrderRow order={o} />
                    </li>
                  ))}
                </ul>
              )}
            </Part>
          ))}
        </div>
        <footer className="flex shrink-0 items-center gap-4 border-t border-rule bg-paper py-2 pr-4 pl-16 max-[700px]:flex-wrap max-[700px]:pl-4">
          {maySign && (
            <button type="button" className="act" disabled={busy} onClick={() => void signNote()}>
              Sign the note <KeyCap k="Ctrl+Enter" />
            </button>
          )}
          {mayOrder && (
            <button type="button" className="choice" onClick={() => setOrdering(true)}>
              Order <KeyCap k="o" />
            </button>
          )}
          <span role="alert" className="flex-1 text-[13px] font-semibold text-alarm">
            {error}
          </span>
          <span className="small">
            {note.diagnoses?.length ?? 0} of {note.claimLimit} diagnoses on the claim
          </span>
        </footer>
        {dialog}
      </main>
      {ordering ? (
        <OrderComposer
          patient={note.visit.patient}
          visitId={note.visit.id}
          diagnoses={(note.diagnoses ?? []).map((d) => ({ code: d.code, title: d.title }))}
          close={() => setOrdering(false)}
        />
      ) : (
        <aside
          aria-label="Beside the note"
          className="w-[332px] shrink-0 overflow-auto border-l border-rule px-4 pt-14 pb-4 max-[1179px]:w-full max-[1179px]:border-l-0 max-[1179px]:pt-4"
        >
          <div role="status" className="contents">
            {writers.length > 0 && (
              <p className="margin-note mb-5 border-carried">
                <span className="font-semibold">{[...new Set(writers)].join(", ")} has this note open too</span>
                <span className="block">A save on top of one you have not seen is refused, and both texts are kept.</span>
              </p>
            )}
          </div>
          {note.warning && (
            <p className="margin-note mb-5 border-carried">
              <span className="block font-semibold">The code edition is older than this visit</span>
              {note.warning}
            </p>
          )}
          {(note.conflicts ?? []).length > 0 && <Kept note={note} />}
          {(note.diagnoses?.length ?? 0) > note.claimLimit && (
            <p className="margin-note mb-5 border-carried">
              <span className="block font-semibold">More diagnoses than fit on the claim</span>
              The first {note.claimLimit} go on the claim; the note keeps all.
            </p>
          )}
          {(chart.reports ?? []).filter((r) => !r.signed).length > 0 && (
            <div className="margin-note">
              <span className="block font-semibold">Results not signed yet</span>
              {(chart.reports ?? [])
                .filter((r) => !r.signed)
                .map((r) => (
                  <Link key={r.id} to={`/desk/report/${r.id}`} className="block text-kelp hover:underline">
                    {r.title}, {day(r.collectedAt)}
                  </Link>
                ))}
            </div>
          )}
        </aside>
      )}
    </>
  );
}

// Kept shows texts that were refused because somebody else had saved, in full.
function Kept({ note }: { note: Note }) {
  const client = useQueryClient();
  async function settle(id: string) {
    await got(api.POST("/api/notes/{id}/conflicts/{conflict}/settle", { params: { path: { id: note.id, conflict: id } } }));
    await client.invalidateQueries({ queryKey: ["note", note.id] });
  }
  return (
    <>
      {note.conflicts?.map((c) => (
        <div key={c.id} className="margin-note mb-5 border-carried">
          <span className="block font-semibold">
            Kept, not in the note: {c.part}, {c.by}, {clock(c.at)}
          </span>
          <p className="font-serif text-[15px] whitespace-pre-wrap">{c.text}</p>
          <button type="button" className="plain" onClick={() => settle(c.id)}>
            Done with it
          </button>
        </div>
      ))}
    </>
  );
}

function Part({
  note,
  part,
  children,
  register,
  onStatus,
  focusRef,
}: {
  note: Note;
  part: PartView;
  children?: ReactNode;
  register: (flush: () => Promise<number>) => void;
  onStatus: (s: string) => void;
  focusRef: (focus: () => void) => void;
}) {
  const saver = useSaver(note.id, part);
  const client = useQueryClient();
  register(saver.flush);
  useEffect(() => onStatus(saver.status), [saver.status, onStatus]);
  const [letter] = letters[part.part] ?? ["?"];
  async function decide(text: string) {
    const two = saver.two;
    saver.settle(text);
    await client.invalidateQueries({ queryKey: ["note", note.id] });
    const now = client.getQueryData<Note>(["note", note.id]);
    for (const c of now?.conflicts ?? []) {
      if (two && c.part === part.part && c.text === two.mine)
        await api.POST("/api/notes/{id}/conflicts/{conflict}/settle", { params: { path: { id: note.id, conflict: c.id } } });
    }
    await client.invalidateQueries({ queryKey: ["note", note.id] });
  }
  return (
    <section aria-label={part.part} className="mb-4 flex">
      <span
        className="w-9 shrink-0 pr-3 text-right font-serif text-[26px] leading-[30px] font-semibold text-kelp"
        aria-hidden="true"
      >
        {letter}
      </span>
      <div className="min-w-0 flex-1 border-l-2 border-kelp-wash pl-3.5">
        {part.part === "assessment" && children}
        {saver.two ? (
          <div className="grid grid-cols-2 gap-4 border border-carried p-3 max-[700px]:grid-cols-1">
            <p className="col-span-full text-[13px] font-semibold text-carried">
              {saver.two.now.savedBy} saved this part while you were writing. Both texts are kept; choose what the note says.
            </p>
            <div>
              <p className="label">
                Saved by {saver.two.now.savedBy}, {clock(saver.two.now.savedAt)}
              </p>
              <p className="mb-2 font-serif text-[16px] whitespace-pre-wrap">{saver.two.now.text}</p>
              <button type="button" className="choice" onClick={() => decide(saver.two?.now.text ?? "")}>
                Keep this
              </button>
            </div>
            <div>
              <p className="label">Yours</p>
              <p className="mb-2 font-serif text-[16px] whitespace-pre-wrap">{saver.two.mine}</p>
              <button type="button" className="choice" onClick={() => decide(saver.two?.mine ?? "")}>
                Use yours
              </button>
              <button type="button" className="plain ml-3" onClick={() => decide(`${saver.two?.now.text}\n${saver.two?.mine}`)}>
                Both, one after the other
              </button>
            </div>
          </div>
        ) : (
          <PartEditor
            shown={saver.shown}
            label={part.part}
            placeholder={hints[part.part] ?? ""}
            onType={saver.type}
            focusRef={focusRef}
          />
        )}
        {part.part !== "assessment" && children}
      </div>
    </section>
  );
}

function Entry({ entry, title }: { entry: Schemas["SealedView"]; title?: string }) {
  return (
    <article className="mb-5">
      {title && <h3 className="mb-1 text-[16px]">{title}</h3>}
      {entry.sections?.map((s) => (
        <section key={s.heading} className="mb-3">
          <h4 className="label font-sans">{s.heading}</h4>
          <p className="font-serif text-[17px] whitespace-pre-wrap">{s.text}</p>
        </section>
      ))}
      <p className="small border-t border-rule pt-1.5">
        Signed by {entry.signedBy}, {day(entry.signedAt)}, {clock(entry.signedAt)} · folio {entry.folio} · seal{" "}
        <span className="font-mono">{entry.hash.slice(0, 16)}</span>
      </p>
    </article>
  );
}

function Sealed({ note, chart }: { note: Note; chart: Schemas["ChartView"] }) {
  const client = useQueryClient();
  const mayAmend = useRight("sign a note");
  const [adding, setAdding] = useState(false);
  const [text, setText] = useState("");
  const [error, setError] = useState("");
  const { sign, dialog, busy } = useSigning();
  const print = () => window.open(`/api/notes/${note.id}/pdf`, "_blank", "noopener");
  async function amend() {
    await sign({
      title: "Sign the amendment",
      lines: [`${chart.patient.given} ${chart.patient.family}`, `to folio ${note.sealed?.folio}`],
      act: (secret) => got(api.POST("/api/notes/{id}/amendments", { params: { path: { id: note.id } }, body: { secret, text } })),
      done: () => {
        setAdding(false);
        setText("");
        setError("");
        void client.invalidateQueries({ queryKey: ["note", note.id] });
      },
      failed: (e) => setError(say(e)),
    });
  }
  useKeys([
    { key: "p", label: "Print the note as PDF", run: print },
    ...(mayAmend ? [{ key: "m", label: "Write an amendment", run: () => setAdding(true) }] : []),
    ...(adding ? [{ key: "Ctrl+Enter", label: "Sign the amendment", run: () => void amend() }] : []),
  ]);
  return (
    <main id="page" className="flex min-h-0 min-w-0 flex-1 flex-col bg-leaf max-[1179px]:flex-none">
      <div className="min-h-0 flex-1 overflow-auto max-[1179px]:overflow-visible px-16 py-5 max-[700px]:px-4">
        <div className="max-w-[720px]">
          <Title note={note}>Signed and sealed</Title>
          {(note.conflicts ?? []).length > 0 && <Kept note={note} />}
          {note.sealed && <Entry entry={note.sealed} />}
          {note.amendments?.map((a) => (
            <Entry key={a.folio} entry={a} title={`Amendment of ${day(a.signedAt)}`} />
          ))}
          {adding && (
            <div className="mb-4">
              <label className="label block">
                Amendment
                <textarea
                  autoFocus
                  rows={5}
                  className="box mt-1 font-serif text-[17px] text-ink"
                  value={text}
                  onChange={(e) => setText(e.target.value)}
                />
              </label>
              <p role="alert" className="my-1 min-h-[21px] text-[13px] text-alarm">
                {error}
              </p>
              <button type="button" className="act" disabled={busy} onClick={() => void amend()}>
                Sign the amendment <KeyCap k="Ctrl+Enter" />
              </button>
              <button type="button" className="plain ml-4" onClick={() => setAdding(false)}>
                Leave it
              </button>
            </div>
          )}
        </div>
      </div>
      <footer className="flex shrink-0 items-center gap-4 border-t border-rule bg-paper px-16 py-2 max-[700px]:px-4">
        <button type="button" className="choice" onClick={print}>
          Print <KeyCap k="p" />
        </button>
        {mayAmend && !adding && (
          <button type="button" className="choice" onClick={() => setAdding(true)}>
            Amend <KeyCap k="m" />
          </button>
        )}
        <span className="small">The signed text stays as it is; an amendment stands after it.</span>
      </footer>
      {dialog}
    </main>
  );
}
