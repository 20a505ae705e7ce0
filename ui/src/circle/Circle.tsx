import { useInfiniteQuery, useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { useAct } from "../exchange/act";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { clock, day } from "../frame/time";
import { Form } from "../kit/Form";
import { More } from "../kit/More";
import { PersonSearch } from "../kit/PersonSearch";
import { Table } from "../kit/Table";
import { Wrong } from "../kit/Wrong";
import { useMe, useRight } from "../session/me";
import { Reviewing } from "./Opening";
import { Urgency } from "./Urgency";

type Lists = Schemas["Circle"];

/** Circle is who sees whose chart, as simple lists: how far charts are open, teams, cover, usual clinicians, and the
 * charts that were opened with a reason. */
export function Circle() {
  const lists = useQuery(asks.circle());
  const reviews = useRight("review opened charts");
  const practice = useRight("see lists over the whole practice");
  const covers = useRight("say who covers for them");
  const l = lists.data;
  return (
    <main id="page" className="min-h-0 flex-1 overflow-auto bg-leaf px-8 py-5">
      <h1 className="mb-1 text-page">Who sees whose chart</h1>
      <p className="small mb-5 max-w-[80ch]">
        Every look is recorded. A chart that is not open to somebody opens after a sentence why, for twelve hours, and somebody
        else looks at it afterwards.
      </p>
      {lists.error && <Wrong says={say(lists.error)} />}
      {l && (
        <div className="grid max-w-[1180px] grid-cols-2 gap-x-12 gap-y-8 max-half:grid-cols-1">
          <Width lists={l} />
          <Covers lists={l} />
          <Teams lists={l} />
          {covers && <Urgency />}
          {practice && <Patients lists={l} />}
          {reviews && <Openings />}
        </div>
      )}
    </main>
  );
}

function Part({ title, says, children, wide = false }: { title: string; says?: string; children: ReactNode; wide?: boolean }) {
  return (
    <section className={wide ? "col-span-full" : ""}>
      <h2 className="text-title">{title}</h2>
      {says && <p className="small mb-2">{says}</p>}
      {children}
    </section>
  );
}

// useLists changes the lists, one act after another.
function useLists() {
  const client = useQueryClient();
  const { act, error } = useAct("circle");
  const change = async (f: () => Promise<unknown>) => {
    const done = await act(async () => {
      await f();
      return true;
    });
    await client.invalidateQueries({ queryKey: ["circle"] });
    return done === true;
  };
  return { change, error };
}

const nameOf = (lists: Lists, id: string) => lists.people.find((p) => p.id === id)?.name ?? "somebody who has left";

function Width({ lists: l }: { lists: Lists }) {
  const may = useRight("say who sees whose chart");
  const { change, error } = useLists();
  if (!may)
    return (
      <Part title="How far charts are open" says="The administrator changes this.">
        <p className="font-semibold">{l.widths.find((w) => w.width === l.width)?.says}</p>
        <p className="mt-2">
          {l.reviewer ? nameOf(l, l.reviewer) : "Whoever may review them"} looks at charts that were opened with a reason.
        </p>
      </Part>
    );
  return (
    <Part title="How far charts are open">
      <fieldset className="mt-1">
        <legend className="sr-only">How far charts are open</legend>
        {l.widths.map((w) => (
          <label key={w.width} className="flex items-start gap-2.5 py-1">
            <input
              type="radio"
              name="width"
              className="mt-1 shrink-0 accent-kelp"
              checked={l.width === w.width}
              onChange={() => change(() => got(api.PUT("/api/circle/width", { body: { width: w.width } })))}
            />
            <span className={l.width === w.width ? "font-semibold" : ""}>{w.says}</span>
          </label>
        ))}
      </fieldset>
      <label className="label mt-3 block max-w-[340px]">
        Who looks at charts that were opened with a reason
        <select
          className="field text-ink"
          value={l.reviewer}
          onChange={(e) => change(() => got(api.PUT("/api/circle/reviewer", { body: { staff: e.target.value } })))}
        >
          <option value="">whoever may review them</option>
          {l.people
            .filter((p) => p.reviews)
            .map((p) => (
              <option key={p.id} value={p.id}>
                {p.name}
              </option>
            ))}
        </select>
      </label>
      <Wrong says={error} className="text-aside" />
    </Part>
  );
}

function Teams({ lists: l }: { lists: Lists }) {
  const may = useRight("say who sees whose chart");
  const { change, error } = useLists();
  const [name, setName] = useState("");
  const set = (t: Schemas["TeamView"]) => change(() => got(api.POST("/api/circle/teams", { body: t })));
  const staff = l.people.filter((p) => p.sees);
  return (
    <Part
      title="Teams"
      says={`${l.teams.length === 0 ? "There are none: the practice is one team." : "Those of one team see each other's patients."}${may ? "" : " The administrator changes them."}`}
    >
      {l.teams.map((t) => (
        <div key={t.id} className="border-b border-rule py-2">
          <p className="flex items-baseline justify-between gap-3">
            <span className="font-semibold">{t.name}</span>
            {may && (
              <button
                type="button"
                className="plain py-0"
                onClick={() => change(() => got(api.DELETE("/api/circle/teams/{id}", { params: { path: { id: t.id } } })))}
              >
                End the team
              </button>
            )}
          </p>
          <div className="mt-1 flex flex-wrap gap-x-4 gap-y-1">
            {staff.map((p) => {
              const on = t.members.includes(p.id);
              return may ? (
                <label key={p.id} className="flex items-center gap-1.5">
                  <input
                    type="checkbox"
                    className="accent-kelp"
                    checked={on}
                    aria-label={`${p.name} is in ${t.name}`}
                    onChange={() => set({ ...t, members: on ? t.members.filter((m) => m !== p.id) : [...t.members, p.id] })}
                  />
                  {p.name}
                </label>
              ) : (
                on && <span key={p.id}>{p.name}</span>
              );
            })}
          </div>
        </div>
      ))}
      {may && (
        <Form
          className="mt-2 flex items-baseline gap-3"
          act={async () => {
            if (await set({ id: "", name, members: [] })) setName("");
          }}
        >
          <input
            aria-label="Name of a new team"
            placeholder="Name of a new team"
            className="field max-w-[260px]"
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
          <button type="submit" className="plain py-0">
            Make the team
          </button>
        </Form>
      )}
      <Wrong says={error} className="text-aside" />
    </Part>
  );
}

function Covers({ lists: l }: { lists: Lists }) {
  const me = useMe();
  const may = useRight("say who covers for them");
  const all = useRight("say who sees whose chart");
  const { change, error } = useLists();
  const [of, setOf] = useState(all ? "" : me.id);
  const [by, setBy] = useState("");
  const [from, setFrom] = useState(me.today);
  const [to, setTo] = useState(me.today);
  const staff = l.people.filter((p) => p.sees);
  return (
    <Part title="Cover" says="Who covers for somebody sees their patients on those days.">
      {l.covers.map((c) => (
        <p key={c.id} className="flex items-baseline justify-between gap-3 border-b border-rule py-1.5">
          <span>
            <span className="font-semibold">{nameOf(l, c.by)}</span> for {nameOf(l, c.of)},{" "}
            {c.from === c.to ? day(c.from) : `${day(c.from)} to ${day(c.to)}`}
          </span>
          {c.mine && (
            <button
              type="button"
              className="plain py-0"
              onClick={() => change(() => got(api.DELETE("/api/circle/covers/{id}", { params: { path: { id: c.id } } })))}
            >
              End it
            </button>
          )}
        </p>
      ))}
      {l.covers.length === 0 && <p className="small">Nobody covers for anybody from today on.</p>}
      {may && (
        <Form
          className="mt-3 grid grid-cols-2 gap-x-4 gap-y-2"
          act={async () => {
            if (await change(() => got(api.POST("/api/circle/covers", { body: { of, by, from, to } })))) setBy("");
          }}
        >
          {all && <Somebody label="Is away" people={staff} value={of} set={setOf} />}
          <Somebody
            label={all ? "Covers" : "Who covers for me"}
            people={staff.filter((p) => p.id !== of)}
            value={by}
            set={setBy}
          />
          {!all && <span />}
          <label className="label block">
            First day
            <input type="date" className="field text-ink" value={from} min={me.today} onChange={(e) => setFrom(e.target.value)} />
          </label>
          <label className="label block">
            Last day
            <input type="date" className="field text-ink" value={to} min={from} onChange={(e) => setTo(e.target.value)} />
          </label>
          <span className="col-span-full">
            <button type="submit" className="choice" disabled={!of || !by}>
              Say so
            </button>
          </span>
        </Form>
      )}
      <Wrong says={error} className="text-aside" />
    </Part>
  );
}

function Somebody({
  label,
  people,
  value,
  set,
}: {
  label: string;
  people: Schemas["Person"][];
  value: string;
  set: (id: string) => void;
}) {
  return (
    <label className="label block">
      {label}
      <select className="field text-ink" value={value} onChange={(e) => set(e.target.value)}>
        <option value="">choose</option>
        {people.map((p) => (
          <option key={p.id} value={p.id}>
            {p.name}, {p.role}
          </option>
        ))}
      </select>
    </label>
  );
}

function Patients({ lists: l }: { lists: Lists }) {
  const [open, setOpen] = useState("");
  return (
    <Part title="Usual clinicians" says="Whose patients they are; it stands in the chart, too.">
      {l.people
        .filter((p) => p.sees)
        .map((p) => (
          <div key={p.id} className="border-b border-rule py-1.5">
            <button
              type="button"
              aria-expanded={open === p.id}
              className="flex w-full justify-between gap-3 text-left hover:underline"
              onClick={() => setOpen(open === p.id ? "" : p.id)}
            >
              <span>
                <span className="font-semibold">{p.name}</span>, {p.role}
              </span>
              <span className="text-faded">{p.patients === 1 ? "1 patient" : `${p.patients} patients`}</span>
            </button>
            {open === p.id && <Own person={p} />}
          </div>
        ))}
    </Part>
  );
}

// Own are the patients of a usual clinician.
function Own({ person }: { person: Schemas["Person"] }) {
  const pages = useInfiniteQuery(asks.usualPatients(person.id));
  const client = useQueryClient();
  const { change, error } = useLists();
  const [adding, setAdding] = useState<Schemas["PatientView"] | null>(null);
  const set = async (patient: string, staff: string) => {
    await change(() => got(api.PUT("/api/patients/{id}/usual", { params: { path: { id: patient } }, body: { staff } })));
    await client.invalidateQueries({ queryKey: ["usual"] });
  };
  return (
    <div className="mt-1 pl-3 text-aside">
      {pages.data?.pages
        .flatMap((p) => p.patients)
        .map((p) => (
          <p key={p.id} className="flex justify-between gap-3">
            <span>
              {p.given} {p.family}, born {day(p.birthDate)}, <span className="font-mono text-small">{p.record}</span>
            </span>
            <button
              type="button"
              className="plain py-0"
              aria-label={`${p.given} ${p.family} is not theirs`}
              onClick={() => set(p.id, "")}
            >
              Not theirs
            </button>
          </p>
        ))}
      <More of={pages} word="More" />
      <PersonSearch
        label={`Another patient of ${person.name}`}
        but=""
        chosen={adding}
        choose={(p) => {
          setAdding(null);
          if (p) void set(p.id, person.id);
        }}
      />
      <Wrong says={error} />
    </div>
  );
}

function Openings() {
  const [all, setAll] = useState(false);
  const openings = useQuery(asks.openings(all));
  return (
    <Part title="Charts opened with a reason" wide>
      <p className="mb-2 flex items-baseline gap-4">
        <span className="small">
          {all ? "All, the newest first." : "Those nobody has looked at yet, the newest first. Nobody reviews their own."}
        </span>
        <button type="button" className="plain py-0" onClick={() => setAll(!all)}>
          {all ? "Only what waits" : "Show all"}
        </button>
      </p>
      {openings.data?.length === 0 && <p className="small">None waits.</p>}
      {!!openings.data?.length && (
        <Table className="text-aside" columns={["When", "Who", "Chart", "Why", "Review"].map((word) => ({ word }))}>
          {openings.data.map((o) => (
            <tr key={o.id} className="border-b border-rule align-baseline">
              <td className="py-1.5 pr-4 whitespace-nowrap">
                {day(o.at)} {clock(o.at)}
              </td>
              <td className="pr-4 whitespace-nowrap">{o.by}</td>
              <td className="pr-4 whitespace-nowrap">
                {o.patient.given} {o.patient.family} <span className="font-mono text-small text-faded">{o.patient.record}</span>
              </td>
              <td className="pr-4">{o.reason}</td>
              <td>
                <Reviewing opening={o} done={() => {}} />
              </td>
            </tr>
          ))}
        </Table>
      )}
    </Part>
  );
}
