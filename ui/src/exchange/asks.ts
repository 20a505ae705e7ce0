// What the screens ask the server, each under its key: one place, so that what changes can
// be named for all who show it.
import { infiniteQueryOptions, queryOptions } from "@tanstack/react-query";
import { api, got, type Schemas } from "./client";

const never = Number.POSITIVE_INFINITY;
const by = (id: string) => ({ params: { path: { id } } });

type BesideKind = Schemas["BesideGroup"]["kind"];

export const asks = {
  me: () => queryOptions({ queryKey: ["me"], queryFn: () => got(api.GET("/api/session")), staleTime: never }),
  ownSessions: () => queryOptions({ queryKey: ["own-sessions"], queryFn: () => got(api.GET("/api/session/all")), staleTime: 0 }),
  day: () => queryOptions({ queryKey: ["day"], queryFn: () => got(api.GET("/api/day")) }),
  followUps: () => queryOptions({ queryKey: ["follow-ups"], queryFn: () => got(api.GET("/api/follow-ups")) }),
  unsigned: () => queryOptions({ queryKey: ["unsigned"], queryFn: () => got(api.GET("/api/unsigned")), staleTime: never }),
  across: (patient: string) =>
    queryOptions({ queryKey: ["across", patient], queryFn: () => got(api.GET("/api/patients/{id}/results", by(patient))) }),
  loop: (days: number) =>
    queryOptions({
      queryKey: ["loop", days],
      queryFn: () => got(api.GET("/api/practice/loop", { params: { query: { days } } })),
    }),
  records: (patient: string) =>
    queryOptions({ queryKey: ["records", patient], queryFn: () => got(api.GET("/api/patients/{id}/records", by(patient))) }),
  fhirClients: () => queryOptions({ queryKey: ["fhir-clients"], queryFn: () => got(api.GET("/api/fhir-clients")), staleTime: 0 }),
  sharing: (patient: string) =>
    queryOptions({
      queryKey: ["sharing", patient],
      queryFn: () => got(api.GET("/api/patients/{id}/sharing", by(patient))),
      staleTime: 0,
    }),
  keptBack: (patient: string) =>
    queryOptions({
      queryKey: ["sharing", patient, "held"],
      queryFn: () => got(api.GET("/api/patients/{id}/sharing/held", by(patient))),
      staleTime: 0,
    }),
  toExchange: (id: string) =>
    queryOptions({ queryKey: ["desk", "exchange", id], queryFn: () => got(api.GET("/api/exchange/{id}", by(id))), staleTime: 0 }),
  record: (id: string) =>
    queryOptions({ queryKey: ["desk", "record", id], queryFn: () => got(api.GET("/api/records/{id}", by(id))) }),
  called: (id: string) =>
    queryOptions({ queryKey: ["desk", "called", id], queryFn: () => got(api.GET("/api/called/{id}", by(id))) }),
  copy: (id: string) => queryOptions({ queryKey: ["desk", "copy", id], queryFn: () => got(api.GET("/api/copies/{id}", by(id))) }),
  deskWords: (patient: string) =>
    queryOptions({
      queryKey: ["desk-words", patient],
      queryFn: () => got(api.GET("/api/patients/{id}/desk-words", by(patient))),
    }),
  standing: () => queryOptions({ queryKey: ["standing"], queryFn: () => got(api.GET("/api/standing-permission")) }),
  permitted: () =>
    queryOptions({
      queryKey: ["standing", "reports"],
      queryFn: () => got(api.GET("/api/standing-permission/reports")),
      staleTime: 0,
    }),
  holdings: () => queryOptions({ queryKey: ["holdings"], queryFn: () => got(api.GET("/api/practice/holdings")), staleTime: 0 }),
  heldBy: (person: string) =>
    infiniteQueryOptions({
      queryKey: ["holdings", person],
      queryFn: ({ pageParam }) =>
        got(api.GET("/api/practice/holdings/{id}", { params: { path: { id: person }, query: { after: pageParam } } })),
      initialPageParam: "",
      getNextPageParam: (page) => page.next || undefined,
    }),
  holdReasons: () =>
    queryOptions({ queryKey: ["hold-reasons"], queryFn: () => got(api.GET("/api/hold-reasons")), staleTime: never }),
  printings: () => queryOptions({ queryKey: ["printings"], queryFn: () => got(api.GET("/api/printings")) }),
  printing: (id: string) =>
    queryOptions({ queryKey: ["printings", id], queryFn: () => got(api.GET("/api/printings/{id}", by(id))) }),
  colleagues: () => queryOptions({ queryKey: ["colleagues"], queryFn: () => got(api.GET("/api/colleagues")) }),
  // What is typed to find a person is clinical: it travels in the body, and is forgotten at once.
  find: (query: string) =>
    queryOptions({ queryKey: ["find", query], queryFn: () => got(api.POST("/api/find", { body: { query } })), gcTime: 0 }),

  registrationChoices: () =>
    queryOptions({ queryKey: ["registration-choices"], queryFn: () => got(api.GET("/api/registration")), staleTime: 300_000 }),
  registration: (patient: string) =>
    queryOptions({
      queryKey: ["registration", patient],
      queryFn: () => got(api.GET("/api/patients/{id}/registration", by(patient))),
    }),
  // Who is registered is a person: what is typed of them travels in the body, and is forgotten at once.
  alike: (registration: Schemas["Registration"], but: string) =>
    queryOptions({
      queryKey: [
        "alike",
        registration.family,
        registration.given,
        registration.birthDate,
        registration.telephones[0]?.number,
        but,
      ],
      queryFn: () => got(api.POST("/api/registration/alike", { body: { registration, but } })),
      gcTime: 0,
    }),

  circle: () => queryOptions({ queryKey: ["circle"], queryFn: () => got(api.GET("/api/circle")) }),
  door: (patient: string) =>
    queryOptions({
      queryKey: ["door", patient],
      queryFn: () => got(api.GET("/api/patients/{id}/door", by(patient))),
      staleTime: 0,
    }),
  openings: (all: boolean) =>
    queryOptions({
      queryKey: ["openings", all],
      queryFn: () => got(api.GET("/api/openings", { params: { query: { all } } })),
      staleTime: 0,
    }),
  opening: (id: string) =>
    queryOptions({ queryKey: ["desk", "opening", id], queryFn: () => got(api.GET("/api/openings/{id}", by(id))) }),
  usualPatients: (staff: string) =>
    infiniteQueryOptions({
      queryKey: ["usual", staff],
      queryFn: ({ pageParam }) =>
        got(api.GET("/api/circle/people/{id}/patients", { params: { path: { id: staff }, query: { after: pageParam } } })),
      initialPageParam: "",
      getNextPageParam: (page) => page.next || undefined,
    }),
  critical: () => queryOptions({ queryKey: ["critical"], queryFn: () => got(api.GET("/api/critical")) }),
  urgency: () => queryOptions({ queryKey: ["urgency"], queryFn: () => got(api.GET("/api/urgency")) }),
  eachReport: () => queryOptions({ queryKey: ["desk rows"], queryFn: () => got(api.GET("/api/session/rows")), staleTime: never }),
  deskCount: () => queryOptions({ queryKey: ["desk", "count"], queryFn: () => got(api.GET("/api/desk/count")) }),
  order: (id: string) =>
    queryOptions({ queryKey: ["desk", "order", id], queryFn: () => got(api.GET("/api/orders/{id}", by(id))) }),
  prepared: (id: string) =>
    queryOptions({ queryKey: ["desk", "prepared", id], queryFn: () => got(api.GET("/api/prepared/{id}", by(id))) }),
  // What is typed of a medicine is clinical: it travels in the body, and is forgotten soon.
  telephone: (id: string) =>
    queryOptions({ queryKey: ["desk", "telephone", id], queryFn: () => got(api.GET("/api/telephone/{id}", by(id))) }),
  concerns: (patient: string, items: Schemas["OnPad"][]) =>
    queryOptions({
      queryKey: ["concerns", patient, JSON.stringify(items)],
      queryFn: () => got(api.POST("/api/patients/{id}/pad/concerns", { ...by(patient), body: { items } })),
    }),
  prescription: (patient: string, typed: Schemas["Typed"]) =>
    queryOptions({
      queryKey: ["prescribing", patient, JSON.stringify(typed)],
      queryFn: () => got(api.POST("/api/patients/{id}/prescriptions/read", { ...by(patient), body: typed })),
      gcTime: 10_000,
      staleTime: 5_000,
    }),
  openPrescription: (id: string) =>
    queryOptions({ queryKey: ["desk", "prescription", id], queryFn: () => got(api.GET("/api/prescriptions/{id}", by(id))) }),
  prescriptions: (patient: string) =>
    queryOptions({
      queryKey: ["prescriptions", patient],
      queryFn: () => got(api.GET("/api/patients/{id}/prescriptions", by(patient))),
    }),
  inquiry: (id: string) =>
    queryOptions({ queryKey: ["desk", "inquiry", id], queryFn: () => got(api.GET("/api/inquiries/{id}", by(id))) }),
  connections: () => queryOptions({ queryKey: ["connections"], queryFn: () => got(api.GET("/api/connections")), staleTime: 0 }),
  ownNpi: () => queryOptions({ queryKey: ["own-npi"], queryFn: () => got(api.GET("/api/session/npi")), staleTime: 0 }),
  factor: () => queryOptions({ queryKey: ["factor"], queryFn: () => got(api.GET("/api/session/factor")), staleTime: 0 }),
  coverage: (patient: string, tests: Schemas["CoverageLine"][]) =>
    queryOptions({
      queryKey: ["coverage", patient, JSON.stringify(tests)],
      queryFn: () => got(api.POST("/api/patients/{id}/pad/coverage", { ...by(patient), body: { tests } })),
      gcTime: 10_000,
    }),
  referral: (id: string) =>
    queryOptions({ queryKey: ["desk", "referral", id], queryFn: () => got(api.GET("/api/referrals/{id}", by(id))) }),
  referrals: (patient: string) =>
    queryOptions({ queryKey: ["referrals", patient], queryFn: () => got(api.GET("/api/patients/{id}/referrals", by(patient))) }),
  underWay: () => queryOptions({ queryKey: ["desk", "referrals"], queryFn: () => got(api.GET("/api/referrals")) }),
  here: () => queryOptions({ queryKey: ["specimens", "here"], queryFn: () => got(api.GET("/api/referrals/here")) }),
  referralParts: (patient: string, visit?: string) =>
    queryOptions({
      queryKey: ["referral-parts", patient, visit ?? ""],
      queryFn: () => got(api.GET("/api/patients/{id}/referrals/parts", { params: { path: { id: patient }, query: { visit } } })),
      staleTime: 0,
    }),
  directory: (kind: "" | "practice" | "pharmacy", q: string, whole = false) =>
    queryOptions({
      queryKey: ["directory", kind, q, String(whole)],
      queryFn: () => got(api.GET("/api/directory", { params: { query: { kind, q, whole } } })),
    }),
  sent: (kind: "message" | "fax", id: string) =>
    queryOptions({
      queryKey: ["desk", "sent", kind, id],
      queryFn: () => got(api.GET("/api/sent/{kind}/{id}", { params: { path: { kind, id } } })),
    }),
  held: (number: string) =>
    queryOptions({
      queryKey: ["held", number],
      queryFn: () => got(api.GET("/api/quarantine/{number}", { params: { path: { number } } })),
    }),

  // What happened, in pages; it changes with its chart.
  timeline: (patient: string) =>
    infiniteQueryOptions({
      queryKey: ["chart", patient, "timeline"],
      queryFn: ({ pageParam }) =>
        got(api.GET("/api/patients/{id}/timeline", { params: { path: { id: patient }, query: { after: pageParam } } })),
      initialPageParam: "",
      getNextPageParam: (page) => page.next || undefined,
    }),
  visit: (id: string) => queryOptions({ queryKey: ["visit", id], queryFn: () => got(api.GET("/api/visits/{id}", by(id))) }),
  ordersOf: (visit: string) =>
    queryOptions({ queryKey: ["orders", visit], queryFn: () => got(api.GET("/api/visits/{id}/orders", by(visit))) }),

  compare: (id: string, other: string) =>
    queryOptions({
      queryKey: ["compare", id, other],
      queryFn: () => got(api.GET("/api/patients/{id}/compare/{other}", { params: { path: { id, other } } })),
    }),
  vitals: (patient: string) =>
    queryOptions({ queryKey: ["vitals", patient], queryFn: () => got(api.GET("/api/patients/{id}/vitals", by(patient))) }),
  medicines: (patient: string, query: string) =>
    queryOptions({
      queryKey: ["medicine", patient, query],
      queryFn: () => got(api.POST("/api/patients/{id}/medicines/find", { ...by(patient), body: { query } })),
    }),
  intake: (visit: string) =>
    queryOptions({ queryKey: ["intake", visit], queryFn: () => got(api.GET("/api/visits/{id}/intake", by(visit))) }),
  house: (q: string) =>
    queryOptions({ queryKey: ["house", q], queryFn: () => got(api.GET("/api/house", { params: { query: { q } } })) }),

  note: (id: string) => queryOptions({ queryKey: ["note", id], queryFn: () => got(api.GET("/api/notes/{id}", by(id))) }),
  measures: (note: string, list: number) =>
    queryOptions({ queryKey: ["measures", note, list], queryFn: () => got(api.GET("/api/notes/{id}/measures", by(note))) }),
  // What is looked for is clinical: it travels in the body.
  beside: (note: string, words: string, kind: BesideKind | "") =>
    infiniteQueryOptions({
      queryKey: ["beside", note, words, kind],
      queryFn: ({ pageParam }) =>
        got(api.POST("/api/notes/{id}/beside", { ...by(note), body: { words, kind, after: pageParam } })),
      initialPageParam: "",
      getNextPageParam: (page) => page.next || undefined,
      staleTime: 10_000,
    }),
  last: (note: string) =>
    queryOptions({ queryKey: ["last", note], queryFn: () => got(api.GET("/api/notes/{id}/last", by(note))) }),
  letters: (note: string) =>
    queryOptions({ queryKey: ["letters", note], queryFn: () => got(api.GET("/api/notes/{id}/letters", by(note))), staleTime: 0 }),
  // The level follows the diagnoses and what is said of them.
  charges: (note: string, list: number, said: string) =>
    queryOptions({ queryKey: ["charges", note, list, said], queryFn: () => got(api.GET("/api/notes/{id}/charges", by(note))) }),
  sets: (note: string, list: number) =>
    queryOptions({ queryKey: ["sets", note, list], queryFn: () => got(api.GET("/api/notes/{id}/sets", by(note))) }),
  writingTools: () =>
    queryOptions({ queryKey: ["writing-tools"], queryFn: () => got(api.GET("/api/writing")), staleTime: never }),
  outlines: () =>
    queryOptions({
      queryKey: ["outlines"],
      queryFn: () => got(api.GET("/api/outlines")) as Promise<Record<string, string>>,
      staleTime: never,
    }),

  pins: () => queryOptions({ queryKey: ["pins"], queryFn: () => got(api.GET("/api/pins")) }),
  codes: (under: string, q: string) =>
    queryOptions({
      queryKey: ["codes", under, q],
      queryFn: () => got(api.GET("/api/codes", { params: { query: under ? { under, q } : { q } } })),
    }),
  codesNamed: (codes: string) =>
    queryOptions({
      queryKey: ["codes-named", codes],
      queryFn: () => got(api.GET("/api/codes/named", { params: { query: { codes } } })),
    }),
  pad: (patient: string, diagnoses: string[]) =>
    queryOptions({
      queryKey: ["pad", patient, diagnoses],
      queryFn: () => got(api.POST("/api/patients/{id}/pad", { params: { path: { id: patient } }, body: { diagnoses } })),
    }),
  repeated: (patient: string, tests: string[]) =>
    queryOptions({
      queryKey: ["repeated", patient, tests],
      queryFn: () => got(api.POST("/api/patients/{id}/pad/repeated", { params: { path: { id: patient } }, body: { tests } })),
    }),
  needed: (tests: string[]) =>
    queryOptions({
      queryKey: ["needed", tests],
      queryFn: () => got(api.GET("/api/tests/needed", { params: { query: { tests } } })),
      staleTime: never,
    }),
  reminders: (patient: string) =>
    queryOptions({
      queryKey: ["reminders", patient],
      queryFn: () => got(api.GET("/api/patients/{id}/reminders", by(patient))),
    }),
  reminder: (patient: string, rule: string) =>
    queryOptions({
      queryKey: ["reminders", patient, rule],
      queryFn: () => got(api.GET("/api/patients/{id}/reminders/{rule}", { params: { path: { id: patient, rule } } })),
    }),
  rulebook: () => queryOptions({ queryKey: ["rulebook"], queryFn: () => got(api.GET("/api/rulebook")) }),
  questionnaire: (patient: string, form: string) =>
    queryOptions({
      queryKey: ["questionnaire", patient, form],
      queryFn: () => got(api.GET("/api/patients/{id}/questionnaires/{form}", { params: { path: { id: patient, form } } })),
      staleTime: 0,
    }),
  reminded: (id: string) =>
    queryOptions({ queryKey: ["desk", "reminded", id], queryFn: () => got(api.GET("/api/reminded/{id}", by(id))), staleTime: 0 }),
  registry: (id: string) =>
    queryOptions({ queryKey: ["desk", "registry", id], queryFn: () => got(api.GET("/api/registry/{id}", by(id))), staleTime: 0 }),
  harm: (id: string) =>
    queryOptions({ queryKey: ["desk", "harm", id], queryFn: () => got(api.GET("/api/harm/{id}", by(id))), staleTime: 0 }),
  specimens: () => queryOptions({ queryKey: ["specimens"], queryFn: () => got(api.GET("/api/specimens")) }),
  tests: (q: string) =>
    queryOptions({ queryKey: ["tests", q], queryFn: () => got(api.GET("/api/tests", { params: { query: { q } } })) }),
  services: (q: string) =>
    queryOptions({ queryKey: ["services", q], queryFn: () => got(api.GET("/api/services", { params: { query: { q } } })) }),

  forms: () => queryOptions({ queryKey: ["forms"], queryFn: () => got(api.GET("/api/forms")) }),
};
