import type { Schemas } from "../exchange/client";
import { useLeft } from "../frame/left";

/** Test is a test as it is offered on the pad. */
export type Test = Schemas["FoundTest"];
export type Diagnosis = { code: string; title: string };

/** Item is a test on the pad, or imaging, a procedure or a supply, with what is said of it. */
export type Item = {
  test: Test;
  diagnoses: string[];
  answers: Record<string, string>;
  remark: string;
  timing?: Timing; // where it differs from that of the pad
  choice?: 0 | 1 | 2 | 3; // of the patient, on the advance notice
  to?: string; // of what is no test: who does it, in the directory; undefined until chosen
  reason?: string; // why it is ordered in spite of a serious warning
  request?: string; // of what is no test: names this ordering of it
};

/** isTest says that an item is a laboratory's. */
export const isTest = (i: Item) => i.test.kind === "";

/** Along is a prescription or a referral that was put on the pad, to be signed with the rest. */
export type Along = { title: string; says: string[]; slot: string; draft: unknown } & (
  | { kind: "prescription"; body: Schemas["NewPrescription"] }
  | { kind: "referral"; body: Schemas["NewReferral"] }
);

/** useAlong holds what was put on the pad of a patient, at a visit or without one. */
export const useAlong = (patient: string, visit = "") =>
  useLeft<Along[]>(
    `along ${patient} ${visit}`,
    () => [],
    (v) => v.length === 0,
  );
export type Timing = { due: string; every: number; until: string };
export const now: Timing = { due: "", every: 0, until: "" };

/** Common is what is said of all items at once. */
export type Common = {
  priority: "R" | "A" | "S";
  timing: Timing;
  drawing: "now" | "here" | "site";
  site: string;
  payer: "" | "practice" | "patient" | "insurer";
  copyPatient: boolean;
  copy: string;
};
export const common: Common = {
  priority: "R",
  timing: now,
  drawing: "now",
  site: "",
  payer: "",
  copyPatient: false,
  copy: "",
};

/** commonOf is what was said of all tests of an order that is ordered anew. Its specimens are drawn again, and a site
 * is chosen again. */
export function commonOf(o: Schemas["OrderView"], today: string): Common {
  const payers = { "the practice": "practice", "the patient": "patient", "the insurer": "insurer" } as Record<
    string,
    Common["payer"]
  >;
  return {
    ...common,
    priority: ({ urgent: "A", stat: "S" } as Record<string, Common["priority"]>)[o.priority] ?? "R",
    timing: o.due > today ? { ...now, due: o.due } : now,
    drawing: o.drawing === "site" ? "site" : "here",
    payer: payers[o.payer] ?? "",
    copyPatient: o.copies.includes("the patient"),
    copy: o.copies.filter((c) => c !== "the patient").join("; "),
  };
}

/** key names a test among those of all laboratories. */
export const key = (t: { laboratory: string; code: string }) => `${t.laboratory}:${t.code}`;

/** added puts a test on the pad, once, for some diagnoses. */
export function added(items: Item[], t: Test, diagnoses: string[]): Item[] {
  if (items.some((i) => key(i.test) === key(t))) return items;
  return [...items, { test: t, diagnoses, answers: {}, remark: "", request: crypto.randomUUID() }];
}

/** asked lists the questions of an item that are asked, given the answers so far. */
export function asked(i: Item): Schemas["EntryQuestion"][] {
  const out: Schemas["EntryQuestion"][] = [];
  for (const q of i.test.questions) {
    const on = q.when.question;
    if (!on || (i.answers[on] === q.when.answer && out.some((x) => x.code === on))) out.push(q);
  }
  return out;
}

/** answering keeps an answer of one item; where others ask the same and nobody has answered there, it is theirs too. */
export function answering(items: Item[], of: Item, question: string, answer: string): Item[] {
  return items.map((i) => {
    const same = key(i.test) === key(of.test);
    const asks = isTest(of) && i.test.laboratory === of.test.laboratory && i.test.questions.some((q) => q.code === question);
    const was = of.answers[question] ?? "";
    return same || (asks && (i.answers[question] ?? "") === was) ? { ...i, answers: { ...i.answers, [question]: answer } } : i;
  });
}

/** lacking says what an item lacks before it can be signed; "" for nothing. */
export function lacking(i: Item, anyDiagnosis: boolean): string {
  if (i.diagnoses.length === 0)
    return `Link a diagnosis to ${i.test.name}.${anyDiagnosis ? "" : " Add one to the visit or the problem list first."}`;
  const q = asked(i).find((x) => x.required && !(i.answers[x.code] ?? "").trim());
  if (q) return `${i.test.name} asks: ${q.words}.`;
  if (isTest(i)) return "";
  if (!i.to && i.test.kind !== "vaccine") return `Say who does it: ${i.test.name}.`;
  return !bare(i) && i.remark.trim() === "" ? `Write what ${i.test.name} is to answer.` : "";
}

/** bare says that an item needs no question: it is its own. */
export const bare = (i: Item) => i.test.kind === "supply" || i.test.kind === "vaccine";

/** studies writes what is no test as the server takes it. */
export function studies(items: Item[], c: Common): Schemas["NewReferral"][] {
  const urgencies = { R: "routine", A: "urgent", S: "stat" } as const;
  return items
    .filter((i) => !isTest(i))
    .map((i) => ({
      to: i.to ?? "",
      item: i.test.code,
      question: i.remark.trim(),
      urgency: urgencies[c.priority],
      diagnoses: i.diagnoses,
      answers: given(i),
      on: (i.timing ?? c.timing).due || undefined,
      reason: i.reason?.trim() || undefined,
      requestId: i.request ?? "",
    }));
}

/** given are the answers to the questions that are asked. */
export const given = (i: Item) =>
  asked(i)
    .map((q) => ({ question: q.code, answer: (i.answers[q.code] ?? "").trim() }))
    .filter((a) => a.answer);

/** body writes the pad as the server takes it. */
export function body(items: Item[], c: Common) {
  return {
    priority: c.priority,
    drawing: c.drawing,
    site: c.drawing === "site" ? c.site || undefined : undefined,
    payer: { who: c.payer },
    notices: items
      .filter((i) => i.choice)
      .map((i) => ({ laboratory: i.test.laboratory, code: i.test.code, choice: i.choice ?? 0 })),
    copies: [
      ...(c.copyPatient ? [{ patient: true }] : []),
      ...c.copy
        .split(";")
        .map((n) => n.trim())
        .filter((n) => n)
        .map((name) => ({ name })),
    ],
    tests: items.filter(isTest).map((i) => {
      const t = i.timing ?? c.timing;
      return {
        laboratory: i.test.laboratory,
        code: i.test.code,
        diagnoses: i.diagnoses,
        remark: i.remark.trim() || undefined,
        answers: given(i),
        due: t.due || undefined,
        every: t.every || undefined,
        until: t.every ? t.until : undefined,
      };
    }),
  };
}
