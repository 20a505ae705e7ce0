import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap } from "../frame/keys";
import { useDraft } from "../frame/left";
import { day } from "../frame/time";
import { moment } from "../kit/Course";
import { Form } from "../kit/Form";
import { Whose } from "../kit/Whose";
import { Wrong } from "../kit/Wrong";
import { useRight } from "../session/me";

// Steps are what to do, and what was said.
function Told({ of: h }: { of: Schemas["HarmView"] }) {
  return (
    <>
      <p className="mb-2">
        <b>“{h.answer}”</b> to “{h.asked}” ({h.form}), written down by {h.by}, {moment(h.at)}.
      </p>
      <ol className="mb-3 list-decimal pl-5">
        {h.steps.map((s) => (
          <li key={s} className="mb-1">
            {s}
          </li>
        ))}
      </ol>
    </>
  );
}

// Close writes down what was found and done, which closes the line.
function Close({ id, done, word }: { id: string; done: () => void; word: string }) {
  const { d, change, given } = useDraft(
    `harm ${id}`,
    () => ({ found: "" }),
    (v) => v.found.trim() === "",
  );
  const [error, setError] = useState("");
  return (
    <Form
      className="grid gap-2"
      act={async () => {
        try {
          await got(api.POST("/api/harm/{id}", { params: { path: { id } }, body: { found: d.found } }));
          given();
          done();
        } catch (e) {
          setError(say(e));
        }
      }}
    >
      <label className="font-semibold">
        What the patient said, and what was done
        <textarea
          className="field min-h-[72px] border font-normal"
          value={d.found}
          onChange={(e) => change({ found: e.target.value })}
        />
      </label>
      <Wrong says={error} />
      <button type="submit" className="act justify-self-start">
        {word}
      </button>
    </Form>
  );
}

/** HarmNow interrupts at once: an answer speaks of self-harm. It is left by closing the line, or by handing it to who
 * answers for it; nothing closes it by itself. */
export function HarmNow({ id, leave }: { id: string; leave: () => void }) {
  const opened = useQuery(asks.harm(id));
  const mayClose = useRight("sign a note");
  const h = opened.data;
  return (
    <Dialog open onClose={() => undefined} className="relative z-50">
      <div className="fixed inset-0 bg-ink/40" aria-hidden="true" />
      <div className="fixed inset-0 flex items-center justify-center p-4">
        <DialogPanel className="max-h-full w-[560px] overflow-auto rounded-[4px] border-2 border-alarm bg-leaf p-5">
          <DialogTitle className="mb-2 text-title text-alarm">An answer speaks of self-harm</DialogTitle>
          {opened.error && <Wrong says={say(opened.error)} />}
          {h && <Told of={h} />}
          {h && mayClose && <Close id={id} done={leave} word="I spoke with the patient: close it" />}
          <p className="mt-3">
            <button type="button" className="plain pl-0" onClick={leave}>
              {mayClose
                ? "It stays open, and I go on speaking with the patient"
                : "The clinician is called; it stays open with them"}
            </button>
          </p>
        </DialogPanel>
      </div>
    </Dialog>
  );
}

/** HarmPage is an answer that speaks of self-harm, on the desk until somebody spoke with the patient. */
export function HarmPage({ id, next }: { id: string; next: string }) {
  const opened = useQuery(asks.harm(id));
  const client = useQueryClient();
  const go = useNavigate();
  const mayClose = useRight("sign a note");
  const h = opened.data;
  return (
    <main id="page" className="min-w-0 flex-1 overflow-auto bg-leaf px-6 py-5">
      {opened.error && <p className="small">{say(opened.error)}</p>}
      {h && (
        <div className="max-w-[70ch]">
          <Whose patient={h.patient} />
          <h2 className="mt-3 mb-2 text-title text-alarm">An answer speaks of self-harm</h2>
          <Told of={h} />
          {h.state === "open" ? (
            mayClose ? (
              <Close
                id={id}
                word="I spoke with the patient: close it"
                done={() => {
                  void client.invalidateQueries({ queryKey: ["desk"] });
                  void client.invalidateQueries({ queryKey: ["chart", h.patient.id] });
                  go(next);
                }}
              />
            ) : (
              <p>It waits for the clinician who answers for it.</p>
            )
          ) : (
            <p>
              Closed by {h.doneBy}: {h.done} <KeyCap k={day(h.at)} />
            </p>
          )}
        </div>
      )}
    </main>
  );
}
