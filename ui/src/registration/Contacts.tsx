import type { Schemas } from "../exchange/client";
import { Field } from "./Field";

type Contact = Schemas["Contact"];

/** Contacts are the people beside the patient: in an emergency, guardian, who may decide. */
export function Contacts({ people, set }: { people: Contact[]; set: (p: Contact[]) => void }) {
  const change = (i: number, c: Partial<Contact>) => set(people.map((x, k) => (k === i ? { ...x, ...c } : x)));
  return (
    <>
      <h2 className="mt-5 text-title-s">People beside them</h2>
      <section aria-label="People beside them" data-field="contacts" tabIndex={-1}>
        {people.map((p, i) => (
          <div
            key={p.id}
            className="grid grid-cols-6 items-end gap-x-4 gap-y-1 border-b border-rule py-1.5 max-phone:grid-cols-2"
          >
            <Field wide={2} label="Name" value={p.name} set={(name) => change(i, { name })} />
            <Field wide={2} label="Relation" value={p.relation} set={(relation) => change(i, { relation })} />
            <Field wide={2} label="Telephone" value={p.phone} set={(phone) => change(i, { phone })} />
            <div className="col-span-6 flex flex-wrap gap-x-4 text-aside max-phone:col-span-2">
              {(
                [
                  ["emergency", "in an emergency"],
                  ["guardian", "guardian"],
                  ["decides", "may decide for the patient"],
                ] as const
              ).map(([key, words]) => (
                <label key={key} className="flex items-center gap-1.5">
                  <input
                    type="checkbox"
                    className="size-4 accent-kelp"
                    checked={p[key]}
                    onChange={(e) => change(i, { [key]: e.target.checked })}
                  />
                  {words}
                </label>
              ))}
              <button
                type="button"
                className="plain py-0"
                aria-label={`Take off ${p.name || "this person"}`}
                onClick={() => set(people.filter((_, k) => k !== i))}
              >
                Take off
              </button>
            </div>
          </div>
        ))}
        <button
          type="button"
          className="plain pl-0"
          onClick={() =>
            set([
              ...people,
              { id: crypto.randomUUID(), name: "", relation: "", phone: "", emergency: false, guardian: false, decides: false },
            ])
          }
        >
          Add a person
        </button>
      </section>
    </>
  );
}
