import { useQuery } from "@tanstack/react-query";
import { asks } from "../../exchange/asks";
import { api, got } from "../../exchange/client";
import { onEscape } from "../../frame/keys";
import { useLeft } from "../../frame/left";
import { useMe, useRight } from "../../session/me";
import type { Note, useChange } from "../useNote";

/** Leave leaves a draft for a colleague, who answers for it from then on; another's draft is taken over with a reason. */
export function Leave({ note, act, close }: { note: Note; act: ReturnType<typeof useChange>; close: () => void }) {
  const me = useMe();
  const others = note.author !== me.name;
  const maySign = useRight("sign a note");
  const people = useQuery({ ...asks.colleagues(), enabled: !others });
  const [words, setWords, given] = useLeft(
    `leave ${note.id}`,
    () => "",
    (w) => w.trim() === "",
  );
  async function leave(staff: string) {
    const now = await act.run(() =>
      got(api.POST("/api/notes/{id}/leave", { params: { path: { id: note.id } }, body: { staff, words } })),
    );
    if (!now) return;
    given();
    close();
  }
  return (
    <section aria-label="Leave the note" className="margin-note mb-5" onKeyDown={onEscape(close)}>
      <h2 className="font-sans text-line font-semibold">{others ? "Take the note over" : "Leave the note for a colleague"}</h2>
      <p className="text-faded">
        {!others && "The draft stands on their desk from then on, as it is."}
        {others &&
          maySign &&
          `${note.author} answers for this draft. You answer for it from then on; signed, it says who began it.`}
        {others && !maySign && `${note.author} answers for this draft. Whoever may sign it can take it over.`}
      </p>
      <label className="label block">
        {others ? "Why" : "What is left to do"}
        <input autoFocus className="field text-ink" value={words} onChange={(e) => setWords(e.target.value)} />
      </label>
      <div className="mt-1.5 flex flex-wrap gap-2">
        {others && maySign && (
          <button type="button" className="choice px-2 py-1" disabled={words.trim() === ""} onClick={() => void leave(me.id)}>
            Take it over
          </button>
        )}
        {people.data?.map((p) => (
          <button key={p.id} type="button" className="choice px-2 py-1" onClick={() => void leave(p.id)}>
            {p.name}
          </button>
        ))}
        <button type="button" className="plain" onClick={close}>
          {others ? "Leave it as it is" : "Keep it"}
        </button>
      </div>
    </section>
  );
}
