import { useQueryClient } from "@tanstack/react-query";
import { useAct } from "../exchange/act";
import { asks } from "../exchange/asks";
import { api, got, type Schemas } from "../exchange/client";
import { day } from "../frame/time";
import { Wrong } from "../kit/Wrong";

// base64 of a file, without its heading.
function bytes(f: File): Promise<string> {
  return new Promise((done, failed) => {
    const reader = new FileReader();
    reader.onload = () => done(String(reader.result).split(",")[1] ?? "");
    reader.onerror = () => failed(reader.error);
    reader.readAsDataURL(f);
  });
}

/** Cards are the pictures of insurance cards, kept as documents of their coverage. */
export function Cards({ view }: { view: Schemas["RegistrationView"] }) {
  const client = useQueryClient();
  const { act, error } = useAct(`cards ${view.patient.id}`);
  if (view.registration.coverages.length === 0) return null;
  async function add(coverage: string, side: "front" | "back", f: File | undefined) {
    if (!f) return;
    const now = await act(async () =>
      got(
        api.POST("/api/patients/{id}/cards", {
          params: { path: { id: view.patient.id } },
          body: { coverage, side, picture: await bytes(f) },
        }),
      ),
    );
    if (now) client.setQueryData(asks.registration(view.patient.id).queryKey, now);
  }
  return (
    <>
      <h2 className="mt-5 text-title-s">Cards</h2>
      <section aria-label="Cards" className="text-aside">
        <Wrong says={error} />
        {view.registration.coverages.map((c) => (
          <p key={c.id} className="flex flex-wrap items-baseline gap-x-4 py-0.5">
            <span className="font-semibold">{c.payer}</span>
            {view.cards
              .filter((x) => x.coverage === c.id)
              .map((x) => (
                <a key={x.id} className="plain pl-0" href={`/api/cards/${x.id}`} target="_blank" rel="noreferrer">
                  {x.title.split(", ").at(-1)}, {day(x.at)}
                </a>
              ))}
            {(["front", "back"] as const).map((side) => (
              <label key={side} className="plain relative cursor-pointer focus-within:underline">
                Add the {side}…
                <input
                  type="file"
                  accept="image/jpeg,image/png"
                  className="sr-only"
                  aria-label={`Picture of the ${side} of the card of ${c.payer}`}
                  onChange={(e) => {
                    void add(c.id, side, e.target.files?.[0]);
                    e.target.value = "";
                  }}
                />
              </label>
            ))}
          </p>
        ))}
      </section>
    </>
  );
}
