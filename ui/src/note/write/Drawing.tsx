import { useQuery } from "@tanstack/react-query";
import { type PointerEvent, useRef, useState } from "react";
import { asks } from "../../exchange/asks";
import { api, got } from "../../exchange/client";
import { KeyCap, useKeys } from "../../frame/keys";
import { useLeft } from "../../frame/left";
import { Panel } from "../../kit/Panel";
import { Wrong } from "../../kit/Wrong";
import type { Note, useChange } from "../useNote";

type Stroke = { color: string; points: [number, number, number][] };
const pens: Record<string, string> = { ink: "var(--color-ink)", red: "var(--color-high)", blue: "var(--color-low)" };
const names: Record<string, string> = {
  "": "Blank",
  front: "Body, front",
  back: "Body, back",
  hands: "Hands",
  feet: "Feet",
  head: "Head",
};

const width = (pressure: number) => 1 + 3 * Math.max(0, Math.min(1, pressure));

/** Strokes draws strokes as they will be printed: each stretch as wide as the pen was pressed. */
function Strokes({ strokes }: { strokes: Stroke[] }) {
  return strokes.map((s, i) => (
    // biome-ignore lint/suspicious/noArrayIndexKey: a stroke is its place in the order
    <g key={i} stroke={pens[s.color]} strokeLinecap="round">
      {s.points.map((p, k) => {
        const from = s.points[k - 1] ?? p;
        if (k === 0 && s.points.length > 1) return null;
        return (
          // biome-ignore lint/suspicious/noArrayIndexKey: a point is its place in the stroke
          <line key={k} x1={from[0]} y1={from[1]} x2={p[0] + 0.01} y2={p[1]} strokeWidth={width(p[2])} />
        );
      })}
    </g>
  ));
}

/** useOutlines are the outlines to draw on. */
function useOutlines() {
  return useQuery(asks.outlines());
}

/** Drawn shows a drawing of the note; it opens for drawing on. */
export function Drawn({ drawing: d, open }: { drawing: Note["drawings"][number]; open: () => void }) {
  const outlines = useOutlines();
  return (
    <button type="button" className="mr-3 inline-block border border-rule bg-leaf p-1 text-left" onClick={open}>
      <svg viewBox="0 0 400 500" className="h-[150px]" role="img" aria-label={d.caption}>
        <path d={outlines.data?.[d.outline] ?? ""} fill="none" stroke="var(--color-edge)" strokeWidth={1.5} />
        <Strokes strokes={JSON.parse(d.strokes || "[]")} />
      </svg>
      <span className="small block max-w-[140px]">{d.caption}</span>
    </button>
  );
}

/** Sheet is what is on the paper. */
export type Sheet = { id: string; outline: string; caption: string; strokes: Stroke[]; version: number };

/** Drawing is the paper to draw on, with stylus, finger or mouse. */
export function Drawing({
  note,
  id,
  act,
  close,
}: {
  note: Note;
  id: string;
  act: ReturnType<typeof useChange>;
  close: () => void;
}) {
  const kept = note.drawings.find((d) => d.id === id);
  const outlines = useOutlines();
  // What is on the paper; left and opened again, it is still there.
  const [sheet, setSheet, given, left] = useLeft<Sheet>(
    `drawing ${note.id} ${id}`,
    () => ({
      id: id || crypto.randomUUID(),
      outline: kept?.outline ?? "front",
      caption: kept?.caption ?? "",
      strokes: JSON.parse(kept?.strokes || "[]"),
      version: kept?.version ?? 0,
    }),
    () => false,
  );
  const { outline, caption, strokes } = sheet;
  const setOutline = (outline: string) => setSheet((now) => ({ ...now, outline }));
  const setCaption = (caption: string) => setSheet((now) => ({ ...now, caption }));
  const setStrokes = (next: (now: Stroke[]) => Stroke[]) => setSheet((now) => ({ ...now, strokes: next(now.strokes) }));
  const [undone, setUndone] = useState<Stroke[]>([]);
  const [pen, setPen] = useState("red");
  const paper = useRef<SVGSVGElement>(null);
  const drawing = useRef<Stroke | null>(null);
  function point(e: PointerEvent): [number, number, number] {
    const box = (paper.current as SVGSVGElement).getBoundingClientRect();
    // A mouse has no pressure and says 0.5 while pressed.
    const pressure = e.pointerType === "mouse" ? 0.5 : e.pressure;
    const round = (n: number) => Math.round(n * 10) / 10;
    return [
      round(((e.clientX - box.left) / box.width) * 400),
      round(((e.clientY - box.top) / box.height) * 500),
      Math.round(pressure * 100) / 100,
    ];
  }
  function undo() {
    const last = strokes.at(-1);
    if (last) {
      setUndone([...undone, last]);
      setStrokes((all) => all.slice(0, -1));
    }
  }
  function redo() {
    const last = undone.at(-1);
    if (last) {
      setUndone(undone.slice(0, -1));
      setStrokes((all) => [...all, last]);
    }
  }
  async function save() {
    const now = await act.run(() =>
      got(
        api.POST("/api/notes/{id}/drawings", {
          params: { path: { id: note.id } },
          body: { id: sheet.id, outline, caption, strokes: JSON.stringify(strokes), version: sheet.version },
        }),
      ),
    );
    if (!now) return;
    given();
    close();
  }
  useKeys([
    { key: "Escape", label: "Leave the drawing for now", run: close },
    { key: "Ctrl+z", label: "Undo the last stroke", run: undo },
    { key: "Ctrl+y", label: "Draw it again", run: redo },
    { key: "Ctrl+Enter", label: "Keep the drawing", run: () => void save() },
  ]);
  return (
    <Panel label="Drawing" title="Drawing" leave={close} word="" wide column>
      <div className="my-1 flex flex-wrap gap-1.5 text-aside">
        <label>
          On{" "}
          <select
            className="rounded-[3px] border border-edge bg-leaf px-1 py-0.5"
            value={outline}
            onChange={(e) => setOutline(e.target.value)}
          >
            {Object.keys(outlines.data ?? names).map((o) => (
              <option key={o} value={o}>
                {names[o] ?? o}
              </option>
            ))}
          </select>
        </label>
        {Object.entries(pens).map(([k, c]) => (
          <button
            key={k}
            type="button"
            aria-pressed={pen === k}
            className="choice px-2 py-0.5 font-normal"
            onClick={() => setPen(k)}
          >
            <svg viewBox="0 0 10 10" className="mr-1 inline h-2.5" aria-hidden="true">
              <circle cx={5} cy={5} r={5} fill={c} />
            </svg>
            {k}
          </button>
        ))}
        <button type="button" className="plain py-0" disabled={strokes.length === 0} onClick={undo}>
          Undo <KeyCap k="Ctrl+z" />
        </button>
        <button type="button" className="plain py-0" disabled={strokes.length === 0} onClick={() => setStrokes(() => [])}>
          Clear
        </button>
      </div>
      <svg
        ref={paper}
        viewBox="0 0 400 500"
        role="img"
        aria-label="Paper to draw on"
        className="w-full cursor-crosshair touch-none border border-edge bg-leaf"
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId);
          const begun = { color: pen, points: [point(e)] };
          drawing.current = begun;
          setStrokes((all) => [...all, begun]);
          setUndone([]);
        }}
        onPointerMove={(e) => {
          const s = drawing.current;
          if (!s) return;
          const next = { ...s, points: [...s.points, point(e)] };
          drawing.current = next;
          setStrokes((all) => [...all.slice(0, -1), next]);
        }}
        onPointerUp={() => {
          drawing.current = null;
        }}
      >
        <path d={outlines.data?.[outline] ?? ""} fill="none" stroke="var(--color-edge)" strokeWidth={1.5} />
        <Strokes strokes={strokes} />
      </svg>
      <label className="label mt-2 block">
        What it shows
        <input className="field text-ink" value={caption} onChange={(e) => setCaption(e.target.value)} />
      </label>
      <Wrong says={act.error} className="min-h-[20px] text-aside" />
      <div className="flex flex-wrap gap-3 [&_button]:whitespace-nowrap">
        <button type="button" className="act" onClick={() => void save()}>
          Keep the drawing <KeyCap k="Ctrl+Enter" />
        </button>
        <button type="button" className="plain" onClick={close}>
          Later <KeyCap k="Escape" />
        </button>
      </div>
      {left && (
        <p className="mt-1 text-aside text-carried">
          Left here before and not kept.{" "}
          <button
            type="button"
            className="plain py-0 text-aside"
            onClick={() => {
              given();
              close();
            }}
          >
            {kept ? "As it is in the note" : "No drawing"}
          </button>
        </p>
      )}
    </Panel>
  );
}
