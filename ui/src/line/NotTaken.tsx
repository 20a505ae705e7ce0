import type { Schemas } from "../exchange/client";
import { KeyCap } from "../frame/keys";
import { useDraft } from "../frame/left";
import { moment } from "../kit/Course";
import { Form } from "../kit/Form";
import { Whose } from "../kit/Whose";
import { Wrong } from "../kit/Wrong";
import { useClose } from "./useClose";

/** NotTaken is something that was sent and is not taken: its line closes when it is, or when somebody says how it was told instead. settled
 * says how it was closed, why the reason for which it was not taken; with neither it is on its way. */
export function NotTaken({
  about,
  next,
  patient,
  title,
  by,
  at,
  settled,
  why,
  waits,
  label,
  example,
  settle,
}: {
  about: string;
  next: string;
  patient: Schemas["PatientView"];
  title: string;
  by: string;
  at: string;
  settled: string;
  why: string;
  waits: string;
  label: string;
  example?: string;
  settle: (how: string) => Promise<unknown>;
}) {
  const { d, change, given } = useDraft(
    about,
    () => ({ how: "" }),
    (v) => v.how.trim() === "",
  );
  const { close, error } = useClose(next, patient.id);
  return (
    <main id="page" className="min-w-0 flex-1 overflow-auto bg-leaf px-6 py-5">
      <div className="max-w-[72ch]">
        <Whose patient={patient} />
        <h2 className="mt-3 text-title">{title}</h2>
        <p className="small mb-3">
          By {by}, {moment(at)}
        </p>
        {settled ? (
          <p className="font-semibold text-settled">{settled}</p>
        ) : why ? (
          <Form className="margin-note max-w-[560px] border-alarm" act={() => close(() => settle(d.how), given)}>
            <p className="font-semibold text-alarm">Not taken: {why}</p>
            <label className="label mt-2 block">
              {label}
              <input
                autoFocus
                className="field text-ink"
                placeholder={example}
                value={d.how}
                onChange={(e) => change({ how: e.target.value })}
              />
            </label>
            <Wrong says={error} className="min-h-[20px]" />
            <button type="submit" className="act">
              Close the line <KeyCap k="Enter" />
            </button>
          </Form>
        ) : (
          <p className="margin-note">On its way. {waits}</p>
        )}
      </div>
    </main>
  );
}
