import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { asks } from "../../exchange/asks";
import { api, got, say } from "../../exchange/client";
import { KeyCap } from "../../frame/keys";
import { useLeft } from "../../frame/left";
import { clock, day } from "../../frame/time";
import { Form } from "../../kit/Form";
import { Wrong } from "../../kit/Wrong";
import { useMe } from "../../session/me";
import { useSigning } from "../../sign/useSigning";
import type { Note } from "../useNote";

/** FollowUp asks the patient back in a few keys; it waits at the front desk. */
export function FollowUp({ note, close }: { note: Note; close: () => void }) {
  const client = useQueryClient();
  const [{ when, reason }, setWish, given] = useLeft(
    `follow-up ${note.id}`,
    () => ({ when: "", reason: "" }),
    (w) => w.when === "" && w.reason === "",
  );
  const [error, setError] = useState("");
  async function ask() {
    try {
      const wish = await got(
        api.POST("/api/notes/{id}/follow-up", { params: { path: { id: note.id } }, body: { when, reason } }),
      );
      given();
      close();
      client.setQueryData(
        asks.note(note.id).queryKey,
        (n) => n && { ...n, followUps: [wish, ...n.followUps.filter((f) => f.id !== wish.id)] },
      );
    } catch (e) {
      setError(say(e));
    }
  }
  return (
    <Form aria-label="Follow-up" className="mb-5 text-aside" act={ask} leave={close}>
      <h2 className="mb-1 text-title">Come back</h2>
      <div className="flex items-end gap-3">
        <label className="label w-28">
          When
          <input
            autoFocus
            className="field text-ink"
            placeholder="2w, 2m, 1y"
            value={when}
            onChange={(e) => setWish({ when: e.target.value, reason })}
          />
        </label>
        <label className="label flex-1">
          For
          <input
            className="field text-ink"
            placeholder={note.visit.reason}
            value={reason}
            onChange={(e) => setWish({ when, reason: e.target.value })}
          />
        </label>
        <button type="submit" className="choice py-1">
          Ask <KeyCap k="Enter" />
        </button>
      </div>
      <Wrong says={error} className="min-h-[20px]" />
    </Form>
  );
}

/** FollowUps says how the wishes for a further visit stand. */
export function FollowUps({ note }: { note: Note }) {
  return note.followUps.map((f) => (
    <p key={f.id} className="margin-note mb-5">
      <span className="block font-semibold">Comes back {f.said}</span>
      {f.reason}
      <span className="block text-faded">
        {f.state === "to book" && `by ${day(f.due)}, waits for the front desk`}
        {f.state === "booked" && `booked by ${f.doneBy}: ${day(f.visitAt)}, ${clock(f.visitAt)}`}
        {f.state === "dropped" && `dropped by ${f.doneBy}: ${f.why}`}
      </span>
    </p>
  ));
}

/** Absence writes, signs, files and prints an absence letter. */
export function Absence({ note, close }: { note: Note; close: () => void }) {
  const me = useMe();
  const client = useQueryClient();
  const [from, setFrom] = useState(me.today);
  const [{ days, words }, setTyped, given] = useLeft(
    `absence ${note.id}`,
    () => ({ days: "", words: "" }),
    (t) => t.days === "" && t.words === "",
  );
  const [place, setPlace] = useState<"work" | "school">(note.visit.kind.startsWith("Well-child") ? "school" : "work");
  const [diagnosis, setDiagnosis] = useState(false);
  const [error, setError] = useState("");
  const [done, setDone] = useState("");
  const { sign, dialog, busy } = useSigning();
  async function write() {
    const n = Number(days);
    if (!Number.isInteger(n) || n < 1) return setError("Write for how many days.");
    await sign({
      title: "Sign the absence letter",
      lines: [`${note.visit.patient.given} ${note.visit.patient.family}`, `${n} ${n === 1 ? "day" : "days"} from ${day(from)}`],
      act: async (secret) => {
        const d = await got(
          api.POST("/api/notes/{id}/absence", {
            params: { path: { id: note.id } },
            body: { from, days: n, place, words, diagnosis, secret },
          }),
        );
        given();
        setDone(d.id);
        window.open(`/api/documents/${d.id}`, "_blank", "noopener");
      },
      done: () => {
        setError("");
        void client.invalidateQueries({ queryKey: ["chart", note.visit.patient.id] });
      },
      failed: (e) => setError(say(e)),
    });
  }
  return (
    <>
      <Form aria-label="Absence letter" className="mb-5 text-aside" act={write} leave={close}>
        <h2 className="mb-1 text-title">Absence letter</h2>
        <div className="flex items-end gap-3">
          <label className="label w-20">
            Days
            <input
              autoFocus
              inputMode="numeric"
              className="field text-ink"
              value={days}
              onChange={(e) => setTyped({ days: e.target.value, words })}
            />
          </label>
          <label className="label w-32">
            From
            <input className="field text-ink" value={from} onChange={(e) => setFrom(e.target.value)} />
          </label>
          <label className="label">
            For
            <select
              className="mt-0.5 block rounded-[3px] border border-edge bg-leaf px-1 py-1 font-normal text-ink"
              value={place}
              onChange={(e) => setPlace(e.target.value as "work")}
            >
              <option>work</option>
              <option>school</option>
            </select>
          </label>
        </div>
        <label className="label mt-1 block">
          Anything else
          <input
            className="field text-ink"
            placeholder="light work without lifting for a week"
            value={words}
            onChange={(e) => setTyped({ days, words: e.target.value })}
          />
        </label>
        <label className="mt-2 flex items-center gap-2">
          <input
            type="checkbox"
            className="size-4 accent-kelp"
            checked={diagnosis}
            onChange={(e) => setDiagnosis(e.target.checked)}
          />
          Name the diagnosis, the patient wants it
        </label>
        <Wrong says={error} className="min-h-[20px]" />
        {done ? (
          <p role="status">
            Signed and filed.{" "}
            <a className="font-semibold text-kelp underline" href={`/api/documents/${done}`} target="_blank" rel="noreferrer">
              Print it
            </a>
          </p>
        ) : (
          <button type="submit" className="choice" disabled={busy}>
            Sign and print <KeyCap k="Enter" />
          </button>
        )}
        <button type="button" className="plain ml-3" onClick={close}>
          {done ? "Done" : "Leave it"}
        </button>
      </Form>
      {dialog}
    </>
  );
}
