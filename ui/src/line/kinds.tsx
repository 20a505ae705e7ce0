// What each kind of open line is on the screen: the list of the desk it stands in, where it
// leads, what marks it, and its page. A kind that is missing here does not compile.
import type { ComponentType } from "react";
import { OpeningPage } from "../circle/Opening";
import type { Schemas } from "../exchange/client";
import { OrderPage } from "../order/OrderPage";
import { PreparedPage } from "../order/PreparedPage";
import { TelephonePage } from "../order/TelephonePage";
import { InquiryPage } from "../prescribe/InquiryPage";
import { PrescriptionPage } from "../prescribe/PrescriptionPage";
import { RecordPage } from "../record/RecordPage";
import { ReferralPage } from "../referral/ReferralPage";
import { HarmPage } from "../reminder/Harm";
import { RegistryPage } from "../reminder/Registry";
import { RemindedPage } from "../reminder/Reminded";
import { CalledPage } from "../result/CalledPage";
import { CopyPage } from "../result/CopyPage";
import { Flags } from "../result/Flags";
import { HandedPage } from "../result/HandedPage";
import { HeldPage } from "../result/Held";
import { HoldPage } from "../result/Release";
import { Report } from "../result/Report";
import { TellPage } from "../result/TellPage";
import { ToExchange } from "../sharing/ToExchange";
import { FaxPage, MessagePage } from "../sign/Going";

type Row = Schemas["LineRow"];
export type Kind = Row["kind"];

type Page = ComponentType<{ id: string; next: string }>;

type Shown = {
  word: string; // before its title, in the margin of a chart
  counted: [one: string, many: string];
  list: Schemas["Desk"]["list"];
  segment: string; // of its address on the desk; "" for a kind that opens elsewhere
  to: (r: Row) => string;
  mark: ComponentType<{ row: Row }>;
  page?: Page;
};

function Word({ row: r }: { row: Row }) {
  if (!r.mark) return null;
  return <span className={`text-small font-semibold ${r.grave ? "text-alarm" : "text-carried"}`}>{r.mark}</span>;
}

function Waits({ row: r }: { row: Row }) {
  return r.mark ? <span className="text-small font-semibold">{r.mark}</span> : null;
}

function Result({ row: r }: { row: Row }) {
  return r.flags ? <Flags report={r.flags} short /> : null;
}

const onDesk = (segment: string) => (r: Row) => `/desk/${segment}/${r.id}`;

export const kinds: Record<Kind, Shown> = {
  report: {
    word: "Result",
    counted: ["result to sign", "results to sign"],
    list: "results",
    segment: "report",
    to: (r) => (r.packet && r.patient ? `/desk/packet/${r.patient.id}` : onDesk("report")(r)),
    mark: Result,
    page: Report,
  },
  held: {
    word: "Not certain",
    counted: ["result not certain", "results not certain"],
    list: "results",
    segment: "held",
    to: onDesk("held"),
    mark: Word,
    page: HeldPage,
  },
  "critical by telephone": {
    word: "Critical, by telephone",
    counted: ["critical value by telephone", "critical values by telephone"],
    list: "results",
    segment: "called",
    to: onDesk("called"),
    mark: Word,
    page: CalledPage,
  },
  "copied to us": {
    word: "Copy",
    counted: ["copy to read", "copies to read"],
    list: "results",
    segment: "copy",
    to: onDesk("copy"),
    mark: Word,
    page: CopyPage,
  },
  "record from elsewhere": {
    word: "Record",
    counted: ["record from elsewhere", "records from elsewhere"],
    list: "results",
    segment: "record",
    to: onDesk("record"),
    mark: Word,
    page: RecordPage,
  },
  "handed over": {
    word: "Handed over",
    counted: ["report handed over", "reports handed over"],
    list: "results",
    segment: "handed",
    to: onDesk("handed"),
    mark: Word,
    page: HandedPage,
  },
  "to tell": {
    word: "To tell",
    counted: ["result to tell", "results to tell"],
    list: "under way",
    segment: "tell",
    to: onDesk("tell"),
    mark: Word,
    page: TellPage,
  },
  "held back": {
    word: "Held back",
    counted: ["result held back from the portal", "results held back from the portal"],
    list: "under way",
    segment: "hold",
    to: onDesk("hold"),
    mark: Word,
    page: HoldPage,
  },
  note: {
    word: "Note",
    counted: ["note to sign", "notes to sign"],
    list: "notes",
    segment: "",
    to: (r) => `/patients/${r.patient?.id}/visits/${r.visitId}`,
    mark: Waits,
  },
  "to sign": {
    word: "To sign",
    counted: ["prepared order", "prepared orders"],
    list: "under way",
    segment: "sign",
    to: onDesk("sign"),
    mark: Word,
    page: PreparedPage,
  },
  "thoughts of self-harm": {
    word: "Self-harm",
    counted: ["answer of self-harm", "answers of self-harm"],
    list: "results",
    segment: "harm",
    to: onDesk("harm"),
    mark: Word,
    page: HarmPage,
  },
  "order by telephone": {
    word: "By telephone",
    counted: ["order by telephone", "orders by telephone"],
    list: "under way",
    segment: "telephone",
    to: onDesk("telephone"),
    mark: Word,
    page: TelephonePage,
  },
  order: {
    word: "Order",
    counted: ["order under way", "orders under way"],
    list: "under way",
    segment: "order",
    to: onDesk("order"),
    mark: Word,
    page: OrderPage,
  },
  referral: {
    word: "Ordered",
    counted: ["referral or other order", "referrals and other orders"],
    list: "under way",
    segment: "referral",
    to: onDesk("referral"),
    mark: Word,
    page: ReferralPage,
  },
  prescription: {
    word: "Prescription",
    counted: ["prescription under way", "prescriptions under way"],
    list: "under way",
    segment: "prescription",
    to: onDesk("prescription"),
    mark: Word,
    page: PrescriptionPage,
  },
  "repeat request": {
    word: "Repeat asked",
    counted: ["repeat asked for", "repeats asked for"],
    list: "under way",
    segment: "repeat",
    to: onDesk("repeat"),
    mark: Word,
    page: InquiryPage,
  },
  "message to us": {
    word: "Message",
    counted: ["message to answer", "messages to answer"],
    list: "under way",
    segment: "asked",
    to: onDesk("asked"),
    mark: Word,
    page: InquiryPage,
  },
  "to the registry": {
    word: "Registry",
    counted: ["vaccine not told to the registry", "vaccines not told to the registry"],
    list: "under way",
    segment: "registry",
    to: onDesk("registry"),
    mark: Word,
    page: RegistryPage,
  },
  "to the exchange": {
    word: "Exchange",
    counted: ["copy the exchange has not taken", "copies the exchange has not taken"],
    list: "under way",
    segment: "exchange",
    to: onDesk("exchange"),
    mark: Word,
    page: ToExchange,
  },
  "reminder by mail": {
    word: "Reminded",
    counted: ["reminder by mail", "reminders by mail"],
    list: "under way",
    segment: "reminded",
    to: onDesk("reminded"),
    mark: Word,
    page: RemindedPage,
  },
  "follow-up": {
    word: "Come back",
    counted: ["visit to book", "visits to book"],
    list: "under way",
    segment: "",
    to: (r) => `/patients/${r.patient?.id}`,
    mark: Word,
  },
  "from outside": {
    word: "From outside",
    counted: ["decision on what came from outside", "decisions on what came from outside"],
    list: "under way",
    segment: "",
    to: (r) => `/visits/${r.visitId}/intake`,
    mark: Word,
  },
  message: {
    word: "Message",
    counted: ["message not delivered", "messages not delivered"],
    list: "under way",
    segment: "message",
    to: onDesk("message"),
    mark: Word,
    page: MessagePage,
  },
  fax: {
    word: "Fax",
    counted: ["fax not delivered", "faxes not delivered"],
    list: "under way",
    segment: "fax",
    to: onDesk("fax"),
    mark: Word,
    page: FaxPage,
  },
  "opened chart": {
    word: "Opened",
    counted: ["opening to review", "openings to review"],
    list: "under way",
    segment: "opened",
    to: onDesk("opened"),
    mark: Word,
    page: OpeningPage,
  },
};

/** kindOf finds the kind of an address on the desk. */
export function kindOf(segment: string): Kind | undefined {
  return (Object.keys(kinds) as Kind[]).find((k) => kinds[k].segment !== "" && kinds[k].segment === segment);
}
