import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions, Dialog, DialogPanel } from "@headlessui/react";
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { asks } from "../exchange/asks";
import type { Schemas } from "../exchange/client";
import { useRight } from "../session/me";
import { useShownKeys } from "./keys";
import { day } from "./time";

type Hit = { id: string; main: string; rest: string; run: () => void };

/** Finder reaches patients, screens and the actions of this screen. */
export function Finder({ close, lock, help }: { close: () => void; lock: () => void; help: () => void }) {
  const [query, setQuery] = useState("");
  const go = useNavigate();
  const mayFind = useRight("find a patient");
  const mayOpen = useRight("see a chart");
  const mayRegister = useRight("register a patient");
  const mayPractice = useRight("see lists over the whole practice");
  const mayResults = useRight("see results");
  const mayCall = useRight("take a critical value down by telephone");
  const keys = useShownKeys();
  const client = useQueryClient();
  const search = asks.find(query);
  const found = useQuery({
    ...search,
    enabled: mayFind && query.trim().length > 1,
    placeholderData: keepPreviousData,
  });
  // Who sees no charts keeps registrations.
  const place = (id: string) => (mayOpen ? `/patients/${id}` : `/patients/${id}/registration`);
  const patients: Hit[] = (query.trim().length > 1 ? (found.data ?? []) : []).map((p: Schemas["Found"]) => ({
    id: p.id,
    main: `${p.given} ${p.family}`,
    rest: `${p.age}, ${p.sex}, born ${day(p.birthDate)} · ${p.record} · ${p.closed ? "opens with a reason" : p.phone}`,
    run: () => go(place(p.id)),
  }));
  // Somebody who is not found may be new: what was typed goes along, and stands in no address.
  const newcomer: Hit[] =
    mayRegister && query.trim().length > 1 && !found.isFetching && patients.length === 0
      ? [
          {
            id: "register",
            main: `Register “${query.trim()}”`,
            rest: "somebody new",
            run: () => go("/patients/new", { state: { typed: query.trim() } }),
          },
        ]
      : [];
  const actions: Hit[] = keys
    .filter((k) => k.key !== "/" && k.key !== "?")
    .map((k) => ({ id: k.key, main: k.label, rest: k.key, run: k.run }));
  const screens: Hit[] = [
    ...actions,
    ...(mayCall
      ? [{ id: "called", main: "A critical value by telephone from a laboratory", rest: "", run: () => go("/called") }]
      : []),
    ...(mayResults ? [{ id: "standing", main: "Results that a nurse may sign", rest: "", run: () => go("/standing") }] : []),
    ...(mayPractice ? [{ id: "holdings", main: "Who has what, and for how long", rest: "", run: () => go("/holdings") }] : []),
    ...(mayPractice ? [{ id: "loop", main: "How results came home", rest: "", run: () => go("/loop") }] : []),
    ...(mayResults
      ? [
          {
            id: "printing",
            main: "Results on paper: what is gathered, and earlier batches",
            rest: "",
            run: () => go("/printing"),
          },
        ]
      : []),
    { id: "keys", main: "Keys of this screen", rest: "?", run: help },
    { id: "lock", main: "Lock the screen now", rest: "", run: lock },
  ].filter((h) => query.trim() === "" || h.main.toLowerCase().includes(query.trim().toLowerCase()));
  const hits = [...patients, ...screens, ...newcomer];
  return (
    <Dialog open onClose={close} aria-label="Finder" className="relative z-40">
      <div className="fixed inset-0 bg-ink/25" aria-hidden="true" />
      <DialogPanel className="fixed top-[10vh] left-1/2 w-[min(620px,94vw)] -translate-x-1/2 border border-edge bg-leaf p-4">
        <Combobox<Hit>
          immediate
          onChange={(h) => {
            if (!h) return;
            close();
            setTimeout(h.run);
          }}
        >
          <ComboboxInput
            autoFocus
            aria-label="Find anything"
            placeholder="Name, birth date, record number, phone, screen or action"
            className="field text-title-s"
            autoComplete="off"
            onChange={(e) => setQuery(e.target.value)}
            onKeyDown={(e) => {
              if (e.key === "Enter" && found.isFetching) {
                // The list on the screen still belongs to fewer letters, and may name somebody else.
                e.preventDefault();
                void client.fetchQuery(search).then((ps) => {
                  if (ps.length > 1) return; // several, unseen as yet: the person chooses
                  close();
                  if (ps[0]) go(place(ps[0].id));
                  else screens[0]?.run();
                });
                return;
              }
              if (e.key !== "Escape") return;
              e.preventDefault();
              close();
            }}
          />
          <ComboboxOptions static modal={false} className="mt-3 max-h-[56vh] overflow-auto">
            {hits.map((h) => (
              <ComboboxOption
                key={h.id}
                value={h}
                className="flex items-baseline justify-between gap-4 px-2 py-1.5 data-focus:bg-kelp-wash"
              >
                <span className="font-semibold">{h.main}</span>
                <span className="small">{h.rest}</span>
              </ComboboxOption>
            ))}
          </ComboboxOptions>
          {query.trim().length > 1 && hits.length === 0 && !found.isFetching && (
            <p className="small p-2">
              Nobody and nothing of that name. Try fewer letters, the birth date as 1968-03-14, or the record number.
            </p>
          )}
        </Combobox>
      </DialogPanel>
    </Dialog>
  );
}
