import { keepPreviousData, useQueries, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { flushSync } from "react-dom";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, onEscape, useKeys } from "../frame/keys";
import { useKeep, useLeft } from "../frame/left";
import { day } from "../frame/time";
import { Choice } from "../kit/Choice";
import { Panel } from "../kit/Panel";
import { SearchList } from "../kit/SearchList";
import { Wrong } from "../kit/Wrong";
import { useMe, useRight } from "../session/me";
import { useSigning } from "../sign/useSigning";
import { PadCommon } from "./PadCommon";
import { PadItem, says } from "./PadItem";
import {
  added,
  answering,
  given as answersOf,
  body,
  type Common,
  common,
  commonOf,
  type Diagnosis,
  type Item,
  isTest,
  key,
  lacking,
  studies,
  type Test,
  useAlong,
} from "./pad";
import { StudyItem } from "./StudyItem";

const answered = (all: Schemas["EntryAnswer"][] | null) =>
  Object.fromEntries((all ?? []).map((a) => [a.question, a.answer])) as Record<string, string>;

// A test of a prepared order, as the pad holds it.
const prepared = (t: Schemas["PreparedTestView"]): Item => ({
  test: t,
  diagnoses: t.diagnoses.map((d) => d.code),
  answers: answered(t.answers),
  remark: t.remark,
  timing: t.due || t.every ? { due: t.due, every: t.every, until: t.until } : undefined,
});

/** OrderPad orders several things in one signing, beside the page. Who may not sign an order
 * prepares it for the physician. */
export function OrderPad({
  patient,
  visitId,
  diagnoses: given,
  from,
  again,
  begin,
  looking,
  turn,
  close,
}: {
  patient: Schemas["PatientView"];
  visitId?: string;
  diagnoses: Diagnosis[];
  /** A prepared order that is changed here, and signed or prepared anew. */
  from?: Schemas["PreparedView"];
  /** An order that the laboratory refused: corrected here, it is a new one. */
  again?: { order: Schemas["OrderView"]; items: Item[] };
  /** What the pad begins with, where nothing was left on it. */
  begin?: Item[];
  /** What its search begins with. */
  looking?: string;
  /** Goes on to write a medicine or a referral, which may come back onto the pad. */
  turn?: (to: "prescribe" | "refer", words: string) => void;
  close: () => void;
}) {
  const client = useQueryClient();
  const about = `${patient.id} ${visitId ?? ""} ${from?.id ?? again?.order.id ?? ""}`;
  const [query, setQuery] = useLeft(
    `test ${about}`,
    () => looking ?? "",
    (v) => v.trim() === "",
  );
  const { today } = useMe();
  const maySign = useRight("sign an order"); // without it, an order is prepared for who has it
  const mayTake = useRight("take an order by telephone") && !from && !again;
  const [phone, setPhone] = useState<{ from: string; readBack: boolean }>(); // who gives it by telephone
  const colleagues = useQuery({ ...asks.colleagues(), enabled: mayTake });
  const signs = maySign || phone !== undefined;
  const [items, setItems, kept, left] = useLeft<Item[]>(
    `order ${about}`,
    () => from?.tests.map(prepared) ?? again?.items ?? begin ?? [],
    (list) => list.length === 0 && !from && !again,
  );
  const [along, setAlong, keptAlong] = useAlong(patient.id, visitId);
  const keep = useKeep();
  const beside = turn ? along : []; // a prepared or refused order is changed by itself
  const [more, setMore] = useLeft<Diagnosis[]>(
    `order diagnoses ${about}`,
    () => [],
    (v) => v.length === 0,
  );
  const [of, setOf, keptOf] = useLeft<Common | null>(
    `order common ${about}`,
    () =>
      from
        ? {
            ...common,
            priority: from.priority,
            drawing: from.drawing,
            site: from.site,
            payer: from.payer.who,
            copyPatient: from.copies.some((c) => c.patient),
            copy: from.copies
              .filter((c) => !c.patient)
              .map((c) => c.name)
              .join("; "),
          }
        : again
          ? commonOf(again.order, today)
          : null,
    (v) => v === null,
  );
  const [error, setError] = useState("");
  // One act of ordering, however often it is sent; also when its answer was lost and the
  // order left and opened again.
  const [request, setRequest, sent] = useLeft(
    `request ${about}`,
    () => crypto.randomUUID() as string,
    () => false,
  );
  const { sign, dialog, busy } = useSigning();
  const input = useRef<HTMLInputElement>(null);
  useEffect(() => input.current?.focus(), []);
  const [adding, setAdding] = useState(false);
  const further = useRef<HTMLInputElement>(null);
  useEffect(() => {
    if (adding) further.current?.focus();
  }, [adding]);
  const [word, setWord] = useState("");

  const diagnoses = [...given, ...more.filter((d) => !given.some((g) => g.code === d.code))];
  const offers = asks.pad(
    patient.id,
    diagnoses.map((d) => d.code),
  );
  const view = useQuery(offers);
  // The insurer pays where the registration is complete; what is chosen instead stays.
  const saidOf = (v?: Schemas["PadView"]): Common => {
    const covered = v?.lacks.some((l) => l.who === "insurer" && l.lacks.length === 0) ?? false;
    return of ?? { ...common, drawing: "now", payer: covered ? "insurer" : "" };
  };
  const whole = saidOf(view.data);

  // Once all were linked to all, what is put on later gets all of them too; else the first.
  const everything = useRef(false);
  const usually = () => diagnoses.slice(0, everything.current ? undefined : 1).map((d) => d.code);
  function renew() {
    setError("");
    setRequest(crypto.randomUUID());
  }
  function choose(t: Test | null | undefined) {
    if (!t) return;
    setItems((list) => added(list, t, usually()));
    setQuery((was) => (was === query ? "" : was)); // what was typed meanwhile is the next search
    renew();
  }
  function linkAll() {
    everything.current = true;
    setItems((list) => list.map((i) => ({ ...i, diagnoses: diagnoses.map((d) => d.code) })));
    renew();
  }
  // Who does what is no test: the first of the directory, until another is chosen.
  const words = [...new Set(items.filter((i) => i.test.by).map((i) => i.test.by))];
  const doing = useQueries({ queries: words.map((by) => asks.directory("practice", by)) });
  // What they say they do begins a word there: "CT" is not in "practice".
  const doersOf = (i: Item) =>
    doing[words.indexOf(i.test.by)]?.data?.filter((d) =>
      ` ${d.specialty ?? ""}`.toLowerCase().match(`[^a-z]${i.test.by.toLowerCase()}`),
    );
  const whom = (i: Item): Item => (!i.test.by || i.to ? i : { ...i, to: doersOf(i)?.[0]?.id });
  // A test chosen quicker than the list answered is on its way onto the pad: nothing is signed without it.
  const choosing = useRef<Promise<unknown> | null>(null);
  // lacks says what is missing of the items, and leads to it at once, so that what is typed next goes there.
  function lacks(all: Item[]) {
    if (all.length === 0 && beside.length === 0) {
      setError("Choose what is ordered.");
      return true;
    }
    const at = all.map(whom).find((i) => lacking(i, diagnoses.length > 0));
    if (!at) return false;
    setError(lacking(at, diagnoses.length > 0));
    [...document.querySelectorAll<HTMLInputElement>(`[data-item="${key(at.test)}"] [aria-label$=", required"]`)]
      .find((e) => e.value === "")
      ?.focus();
    return true;
  }
  async function signAll() {
    if (!choosing.current && !query.trim() && lacks(items)) return;
    await choosing.current;
    // Who pays is known before anything is signed, however quick the hand.
    const said = saidOf(await client.ensureQueryData(offers).catch(() => undefined));
    let here = items;
    setItems((list) => {
      here = list;
      return list;
    });
    // The test found first is added by the same act that goes on to sign, where the letters are all of its name or
    // code; a beginning or a guess is put on the pad to be looked at.
    // What is on the screen may still belong to fewer letters: the list for all of them decides.
    const found = query.trim() ? await client.fetchQuery(asks.tests(query)) : [];
    const pointed = document.querySelector<HTMLElement>("[data-hit][data-focus]")?.dataset.hit;
    const best = found.find((t) => key(t) === pointed) ?? found[0];
    if (query.trim() && !best) {
      setError("Nothing is found with these letters.");
      return;
    }
    const all = best ? added(here, best, usually()) : here;
    flushSync(() => setItems(all)); // so that what it asks is there to be led to
    setQuery("");
    if (best && !best.sure) {
      setError(`${best.name} is on the pad now. Look whether it is meant, then sign.`);
      return;
    }
    if (lacks(all)) return;
    if (phone && !phone.from) {
      setError("Say who gives the order.");
      return;
    }
    if (phone && !phone.readBack) {
      setError("Read it back to whoever gives it, and say that you did.");
      return;
    }
    const unsaid = signs && all.find((i) => concernOf(i)?.serious && !i.reason?.trim());
    if (unsaid) {
      setError(`A serious warning: say why ${unsaid.test.name} is ordered all the same.`);
      document.querySelector<HTMLElement>(`[data-item="${key(unsaid.test)}"] [aria-label^="Why "]`)?.focus();
      return;
    }
    const unwanted = all.find((i) => i.choice === 3);
    if (unwanted) {
      setError(`The patient does not want ${unwanted.test.name}: take it off.`);
      return;
    }
    setError("");
    const requestId = best ? crypto.randomUUID() : request;
    setRequest(requestId);
    const sending = {
      ...body(all, said),
      referrals: [...studies(all.map(whom), said), ...beside.flatMap((a) => (a.kind === "referral" ? [a.body] : []))],
      prescriptions: beside.flatMap((a) => (a.kind === "prescription" ? [a.body] : [])),
      visitId: visitId ?? from?.visitId,
      requestId,
      prepared: from?.id,
      instead: again?.order.id,
    };
    const done = () => {
      kept();
      keptOf();
      if (turn) keptAlong();
      setMore([]);
      sent();
      void client.invalidateQueries({ queryKey: ["chart", patient.id] });
      void client.invalidateQueries({ queryKey: ["referrals", patient.id] });
      void client.invalidateQueries({ queryKey: ["prescriptions", patient.id] });
      void client.invalidateQueries({ queryKey: ["specimens"] });
      if (again) void client.invalidateQueries({ queryKey: ["order"] });
      close();
    };
    if (!signs) {
      try {
        await got(api.POST("/api/patients/{id}/orders/prepared", { params: { path: { id: patient.id } }, body: sending }));
        done();
      } catch (e) {
        setError(say(e));
      }
      return;
    }
    await sign({
      title: phone ? "Sign as taken down and read back" : "Sign and send the order",
      lines: [
        `${patient.given} ${patient.family}, born ${day(patient.birthDate)}`,
        ...all.map(
          (i) =>
            `${i.test.name} for ${i.diagnoses.join(", ")}${says(i.timing ?? whole.timing) === "now" ? "" : `, ${says(i.timing ?? whole.timing)}`}`,
        ),
        ...beside.map((a) => `${a.title}: ${a.says[0] ?? ""}`),
      ],
      act: (secret) => {
        const at = { params: { path: { id: patient.id } } };
        const order = { ...sending, secret };
        return got(
          phone
            ? api.POST("/api/patients/{id}/orders/telephone", { ...at, body: { ...phone, order } })
            : api.POST("/api/patients/{id}/orders", { ...at, body: order }),
        );
      },
      done,
      failed: (e) => setError(say(e)),
    });
  }
  useKeys([
    { key: "Ctrl+Enter", label: signs ? "Sign and send the order" : "Prepare the order", run: () => void signAll() },
    { key: "Alt+a", label: "Link all diagnoses to everything", run: linkAll },
    ...(turn
      ? [
          { key: "Alt+m", label: "Write a medicine, for this order or alone", run: () => turn("prescribe", query) },
          { key: "Alt+r", label: "Write a referral, for this order or alone", run: () => turn("refer", query) },
        ]
      : []),
    { key: "Escape", label: "Leave the order", run: close },
  ]);
  const tests = items.filter(isTest);
  const repeated = useQuery({
    ...asks.repeated(
      patient.id,
      tests.map((i) => key(i.test)),
    ),
    enabled: tests.length > 0,
    placeholderData: keepPreviousData,
  });
  // What was said of fewer tests stands until the answer for all of them is here; of one that is new nothing is known yet.
  const repeatsOf = (i: Item) => {
    const of = repeated.data?.filter((r) => r.laboratory === i.test.laboratory && r.code === i.test.code);
    return repeated.isPlaceholderData && of?.length === 0 ? undefined : of;
  };
  // What Original Medicare is expected to pay, each time a test or a diagnosis changes.
  const lines = tests.map((i) => ({ laboratory: i.test.laboratory, code: i.test.code, diagnoses: i.diagnoses }));
  const coverage = useQuery({
    ...asks.coverage(patient.id, lines),
    enabled: tests.length > 0 && whole.payer === "insurer",
    placeholderData: keepPreviousData,
  });
  const concerns = useQuery({
    ...asks.concerns(
      patient.id,
      items.filter((i) => !isTest(i)).map((i) => ({ item: i.test.code, answers: answersOf(i) })),
    ),
    enabled: items.some((i) => !isTest(i)),
    placeholderData: keepPreviousData,
  });
  const concernOf = (i: Item) => (isTest(i) ? undefined : concerns.data?.find((c) => c.item === i.test.code));
  const coverageOf = (i: Item) =>
    whole.payer === "insurer" && coverage.data?.applies && !coverage.isPlaceholderData
      ? coverage.data.tests.find((t) => t.laboratory === i.test.laboratory && t.code === i.test.code)
      : undefined;
  const noticed = items.some((i) => ["unlikely", "excluded"].includes(coverageOf(i)?.verdict.answer ?? ""));
  async function printNotice() {
    setError("");
    try {
      const { pdf } = await got(
        api.POST("/api/patients/{id}/pad/notice", { params: { path: { id: patient.id } }, body: { tests: lines } }),
      );
      const bytes = Uint8Array.from(atob(pdf), (c) => c.charCodeAt(0));
      window.open(URL.createObjectURL(new Blob([bytes], { type: "application/pdf" })), "_blank", "noreferrer");
    } catch (e) {
      setError(say(e));
    }
  }
  const usual = (view.data?.usual ?? []).filter((t) => !items.some((i) => key(i.test) === key(t)));
  const often = (view.data?.often ?? []).filter(
    (t) => !items.some((i) => key(i.test) === key(t)) && !usual.some((u) => key(u) === key(t)),
  );
  const offered = (label: string, tests: Test[]) =>
    tests.length > 0 && (
      <p className="mt-1.5 flex flex-wrap items-baseline gap-x-1.5 gap-y-1 text-small">
        <span className="text-faded">{label}</span>
        {tests.map((t) => (
          <button
            key={key(t)}
            type="button"
            className="min-h-6 rounded-[3px] border border-edge px-2 py-0.5 text-kelp hover:underline"
            onClick={() => choose(t)}
          >
            {t.name}
            <span className="sr-only">, put on the pad</span>
          </button>
        ))}
      </p>
    );
  const count = items.length + beside.length;
  const standing = tests.some((i) => (i.timing ?? whole.timing).every > 0);
  return (
    <Panel
      pad
      label="Order"
      title={again ? `Order, in place of ${again.order.placer}` : maySign ? "Order" : "Prepare an order"}
      leave={close}
      word=""
      aside={
        <span className="small">
          {count > 0 && `${count} ${count === 1 ? "item" : "items"}, one signature${standing ? ", standing" : ""}`}
        </span>
      }
    >
      <SearchList<Test[], Test>
        label="Add a test, imaging, a procedure, a vaccine or a supply"
        input={input}
        query={query}
        setQuery={setQuery}
        search={asks.tests}
        hits={(found) => found}
        id={(t) => key(t)}
        choose={choose}
        none="In no list. A medicine and a referral have their own keys."
        under={(p) => {
          const all: Promise<unknown> = Promise.allSettled([choosing.current, p]).then(() => {
            if (choosing.current === all) choosing.current = null;
          });
          choosing.current = all;
        }}
        onKey={(e) => {
          // The list would take these keys for itself, and the order would need them twice.
          if (e.key === "Escape") {
            onEscape(close)(e);
            return true;
          }
          if (e.key !== "Enter" || !(e.ctrlKey || e.metaKey)) return false;
          e.preventDefault();
          e.stopPropagation();
          void signAll();
          return true;
        }}
      >
        {(t) => (
          <span className="flex items-baseline justify-between gap-3">
            <span>
              {t.name}
              {t.read && <span className="small"> · read as “{t.read}”</span>}
              {t.kind === "" && (
                <span className="small block">
                  {t.tube} · <span className="font-mono">{t.code}</span>
                </span>
              )}
            </span>
            <span className="small shrink-0 text-right">
              {t.kind || t.laboratoryName}
              {t.paper && <span className="block">by fax</span>}
            </span>
          </span>
        )}
      </SearchList>
      {turn && (
        <p className="mt-1 flex gap-x-4 text-small">
          <button type="button" className="plain py-0 text-small" onClick={() => turn("prescribe", query)}>
            A medicine… <KeyCap k="Alt+M" />
          </button>
          <button type="button" className="plain py-0 text-small" onClick={() => turn("refer", query)}>
            A referral… <KeyCap k="Alt+R" />
          </button>
        </p>
      )}
      {query.trim() === "" && offered("For these diagnoses", usual)}
      {query.trim() === "" && items.length === 0 && offered("Often yours", often)}
      {left && !from && items.length > 0 && beside.length === 0 && (
        <p className="mt-3 text-aside text-carried">
          Left here before and not sent.{" "}
          <button type="button" className="plain py-0 text-aside" onClick={() => setItems([])}>
            Begin anew
          </button>
        </p>
      )}
      <ul className="mt-2">
        {items.map((i) => {
          const change = (x: Item) => {
            const anew = isTest(x) ? x : { ...x, request: crypto.randomUUID() };
            setItems((list) => list.map((y) => (key(y.test) === key(i.test) ? anew : y)));
            renew();
          };
          const off = () => {
            setItems((list) => list.filter((y) => key(y.test) !== key(i.test)));
            renew();
          };
          return isTest(i) ? (
            <PadItem
              key={key(i.test)}
              item={i}
              diagnoses={diagnoses}
              timing={whole.timing}
              repeats={repeatsOf(i)}
              coverage={coverageOf(i)}
              change={change}
              answer={(question, answer) => {
                setItems((list) => answering(list, i, question, answer));
                renew();
              }}
              off={off}
            />
          ) : (
            <StudyItem
              key={key(i.test)}
              item={whom(i)}
              diagnoses={diagnoses}
              timing={whole.timing}
              doers={doersOf(i)}
              concern={concernOf(i)}
              maySign={signs}
              change={change}
              off={off}
            />
          );
        })}
        {beside.map((a) => (
          <li key={a.body.requestId} className="border-b border-rule py-2">
            <div className="flex items-baseline justify-between gap-2">
              <span className="font-semibold">{a.title}</span>
              <span className="shrink-0">
                <button
                  type="button"
                  className="plain py-0 text-small"
                  onClick={() => {
                    keep(a.slot, a.draft);
                    setAlong((list) => list.filter((x) => x.body.requestId !== a.body.requestId));
                    turn?.(a.kind === "referral" ? "refer" : "prescribe", "");
                  }}
                >
                  Change<span className="sr-only"> {a.title}</span>
                </button>
                <button
                  type="button"
                  className="plain py-0 text-small"
                  onClick={() => setAlong((list) => list.filter((x) => x.body.requestId !== a.body.requestId))}
                >
                  Take off<span className="sr-only"> {a.title}</span>
                </button>
              </span>
            </div>
            {a.says.map((s) => (
              <p key={s} className="font-serif">
                {s}
              </p>
            ))}
          </li>
        ))}
      </ul>
      {noticed && (
        <p className="mt-1 text-small">
          <button type="button" className="plain py-0 text-small" onClick={() => void printNotice()}>
            Print the advance notice
          </button>
          {coverage.data?.form && (
            <span className="font-semibold text-carried"> Not the approved form: {coverage.data.form}.</span>
          )}
        </p>
      )}
      <div className="mt-1 flex flex-wrap items-baseline gap-x-4">
        {items.length > 0 && diagnoses.length > 1 && (
          <button type="button" className="plain py-0" onClick={linkAll}>
            Link all to all <KeyCap k="Alt+A" />
          </button>
        )}
        {!adding && (
          <button type="button" className="plain py-0" onClick={() => setAdding(true)}>
            Another diagnosis…
          </button>
        )}
      </div>
      {adding && (
        <div className="mt-1">
          <SearchList
            label="Diagnosis for this order: words or code"
            input={further}
            query={word}
            setQuery={setWord}
            search={(q) => asks.codes("", q)}
            hits={(found) => found.filter((h) => h.billable)}
            id={(h) => h.code}
            choose={(h) => {
              setMore((list) => [...list.filter((d) => d.code !== h.code), { code: h.code, title: h.title }]);
              setItems((list) => list.map((i) => (i.diagnoses.length === 0 ? { ...i, diagnoses: [h.code] } : i)));
              setWord("");
              setAdding(false);
              renew();
              input.current?.focus();
            }}
            none="No diagnosis is found with these words."
            onKey={(e) => {
              if (e.key !== "Escape") return false;
              onEscape(() => setAdding(false))(e);
              return true;
            }}
          >
            {(h) => (
              <>
                <span className="font-mono text-small">{h.code}</span> {h.title}
              </>
            )}
          </SearchList>
        </div>
      )}
      {diagnoses.length === 0 && (
        <p className="mt-2 text-aside text-carried">
          There is no diagnosis to link. Add one to the visit, to the problem list, or here.
        </p>
      )}
      {count === 0 && query.trim() === "" && (
        <p className="small mt-3">What is chosen stands here, each with the diagnoses that justify it, and is signed at once.</p>
      )}
      {items.length > 0 && (
        <PadCommon
          items={items}
          common={whole}
          set={(c) => {
            setOf(c);
            renew();
          }}
          view={view.data}
          patient={patient.id}
        />
      )}
      {mayTake && count > 0 && (
        <div className="flex gap-3 py-1 text-small">
          <span className="w-[76px] shrink-0 pt-0.5 text-faded">By telephone</span>
          <span className="flex flex-wrap items-baseline gap-1.5">
            <Choice on={phone !== undefined} set={() => setPhone(phone ? undefined : { from: "", readBack: false })}>
              Given to me now
            </Choice>
            {phone && (
              <>
                <select
                  aria-label="Who gives it"
                  className="min-h-6 rounded-[3px] border border-edge bg-leaf px-1 py-0.5 text-small"
                  value={phone.from}
                  onChange={(e) => setPhone({ ...phone, from: e.target.value })}
                >
                  <option value="">by whom</option>
                  {(colleagues.data ?? []).map((c) => (
                    <option key={c.id} value={c.id}>
                      {c.name}
                    </option>
                  ))}
                </select>
                <Choice on={phone.readBack} set={() => setPhone({ ...phone, readBack: !phone.readBack })}>
                  I read it back
                </Choice>
              </>
            )}
          </span>
        </div>
      )}
      <Wrong says={error} className="mt-2 min-h-[21px] text-aside" />
      <button type="button" className="act mt-1" disabled={busy} onClick={() => void signAll()}>
        {phone ? "Sign as taken, and send" : maySign ? "Sign and send" : "Prepare for signature"} <KeyCap k="Ctrl+Enter" />
      </button>
      <button type="button" className="plain ml-3" onClick={close}>
        Leave <KeyCap k="Escape" />
      </button>
      {dialog}
    </Panel>
  );
}
