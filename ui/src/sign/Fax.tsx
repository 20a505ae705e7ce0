import { useState } from "react";
import { api, got, say } from "../exchange/client";

/** Fax sends a filed document to a number; file first files it where it is not yet. */
export function Fax({ document, file }: { document: string; file?: () => Promise<string> }) {
  const [number, setNumber] = useState("");
  const [said, setSaid] = useState("");
  async function send() {
    const id = document || (await file?.());
    if (!id) return;
    try {
      await got(api.POST("/api/documents/{id}/fax", { params: { path: { id } }, body: { number } }));
      setSaid(`On its way to ${number}; an open line of yours until it is taken.`);
    } catch (e) {
      setSaid(say(e));
    }
  }
  return (
    <span className="flex flex-wrap items-baseline gap-2">
      <label className="flex items-baseline gap-1.5">
        Fax to
        <input className="field w-36" placeholder="555-0190" value={number} onChange={(e) => setNumber(e.target.value)} />
      </label>
      <button type="button" className="choice py-1" disabled={!number} onClick={() => void send()}>
        Send
      </button>
      <span role="status" className="basis-full">
        {said}
      </span>
    </span>
  );
}
