import { useState } from "react";
import { api, got, type Schemas, say } from "../exchange/client";
import { inDays } from "../frame/time";
import { Form } from "../kit/Form";
import { Wrong } from "../kit/Wrong";
import { useMe, useRight } from "../session/me";

type Says = Schemas["ReferralTold"]["says"];

const kinds: { says: Says; word: string; day?: string; detail: string; pdf?: boolean }[] = [
  { says: "schedules", word: "It is scheduled", day: "for", detail: "Who said so" },
  { says: "reports", word: "The report came", detail: "The report, typed", pdf: true },
  { says: "accepts", word: "They accepted", detail: "Who said so" },
  { says: "sees", word: "The patient was seen", day: "on", detail: "Who said so" },
  { says: "no-show", word: "The patient did not come", day: "on", detail: "Why, if known" },
  { says: "asks", word: "They ask back", detail: "What they ask" },
  { says: "declines", word: "They declined", detail: "Why" },
  { says: "has it", word: "The patient has it", detail: "Who said so" },
  { says: "asked after", word: "I asked after it", day: "look again on", detail: "With whom, and what they said" },
];

/** Told records what the other side said of a referral where no system of theirs says it. */
export function Told({ referral: r, done }: { referral: Schemas["ReferralView"]; done: () => void }) {
  const may = useRight("say what became of a referral");
  const { today } = useMe();
  const [open, setOpen] = useState<Says | "">("");
  const [detail, setDetail] = useState("");
  const [on, setOn] = useState("");
  const [file, setFile] = useState<File | null>(null);
  const [error, setError] = useState("");
  if (!may) return null;
  const k = kinds.find((x) => x.says === open);
  const supply = r.kind === "supply";
  const here = r.kind === "vaccine";
  const ended = ["closed", "cancelled", "report to be read"].includes(r.state);
  async function keep(says: Says) {
    setError("");
    try {
      const pdf = file
        ? await new Promise<string>((done, failed) => {
            const reader = new FileReader();
            reader.onload = () => done(String(reader.result).replace(/^[^,]*,/, ""));
            reader.onerror = () => failed(new Error("The file could not be read."));
            reader.readAsDataURL(file);
          })
        : undefined;
      await got(
        api.POST("/api/referrals/{id}/told", {
          params: { path: { id: r.id } },
          body: { says, detail: detail || undefined, day: on || undefined, pdf },
        }),
      );
      setOpen("");
      setDetail("");
      setFile(null);
      done();
    } catch (e) {
      setError(say(e));
    }
  }
  return (
    <section aria-label="What they say" className="mt-3 border-t border-rule pt-2 text-aside">
      <div className="flex flex-wrap gap-x-3 gap-y-1">
        {["to be posted or handed over", "could not be sent", "being cancelled"].includes(r.state) && (
          <button type="button" className="choice" onClick={() => void keep("delivered")}>
            {r.state === "being cancelled" ? "They know that it is cancelled" : "It was posted or handed over"}
          </button>
        )}
        {kinds
          .filter((x) =>
            here
              ? ["has it", "declines", "asked after"].includes(x.says)
              : supply
                ? !["reports", "sees", "no-show"].includes(x.says)
                : x.says !== "has it",
          )
          .filter((x) => !ended || x.says === "reports")
          .map((x) => (
            <button
              key={x.says}
              type="button"
              className="plain py-0"
              aria-expanded={open === x.says}
              onClick={() => {
                setOpen(open === x.says ? "" : x.says);
                setOn(x.says === "asked after" ? inDays(today, 7) : x.day === "on" ? today : "");
              }}
            >
              {ended
                ? "Another report came"
                : here && x.says !== "asked after"
                  ? x.says === "declines"
                    ? "It was declined"
                    : "It was given"
                  : x.word}
              …
            </button>
          ))}
      </div>
      {k && (
        <Form className="mt-2 flex flex-wrap items-end gap-3" act={() => keep(k.says)} leave={() => setOpen("")}>
          {k.day && (
            <label className="flex items-baseline gap-2">
              {k.day}
              <input
                type="date"
                autoFocus={!k.pdf}
                className="field mt-0 w-[136px] py-0"
                value={on}
                onChange={(e) => setOn(e.target.value)}
              />
            </label>
          )}
          {k.pdf ? (
            <textarea
              autoFocus
              aria-label={k.detail}
              placeholder={k.detail}
              rows={4}
              className="field mt-0 w-[min(100%,60ch)] font-serif"
              value={detail}
              onChange={(e) => setDetail(e.target.value)}
            />
          ) : (
            <input
              autoFocus={!k.day}
              aria-label={k.detail}
              placeholder={k.detail}
              className="field mt-0 w-[320px] py-0.5"
              value={detail}
              onChange={(e) => setDetail(e.target.value)}
            />
          )}
          {k.pdf && (
            <label className="text-small">
              or as PDF <input type="file" accept="application/pdf" onChange={(e) => setFile(e.target.files?.[0] ?? null)} />
            </label>
          )}
          <button type="submit" className="choice">
            Keep it
          </button>
        </Form>
      )}
      <Wrong says={error} className="font-semibold" />
    </section>
  );
}
