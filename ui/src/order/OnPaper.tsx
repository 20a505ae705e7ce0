import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { day } from "../frame/time";
import { Choice } from "../kit/Choice";
import { Wrong } from "../kit/Wrong";
import { useRight } from "../session/me";

type Row = Schemas["PaperValue"];
const flags = ["", "N", "L", "H", "LL", "HH", "A", "AA"] as const;

/** OnPaper types in what a laboratory answered on paper or by fax, value by value as it stands there. */
export function OnPaper({ order: o, patient: p }: { order: Schemas["OrderView"]; patient: Schemas["PatientView"] }) {
  const may = useRight("type a result in from paper");
  const [open, setOpen] = useState(false);
  const answerable = ["received by the laboratory", "in process", "partial", "final", "reviewed"].includes(o.state);
  if (!may || !answerable) return null;
  if (!open)
    return (
      <button type="button" className={o.paper ? "choice mt-3" : "plain mt-3 text-small"} onClick={() => setOpen(true)}>
        {o.paper ? "Type the answer in from paper…" : "An answer came on paper…"}
      </button>
    );
  return <Answer order={o} patient={p} close={() => setOpen(false)} />;
}

function Answer({
  order: o,
  patient: p,
  close,
}: {
  order: Schemas["OrderView"];
  patient: Schemas["PatientView"];
  close: () => void;
}) {
  const client = useQueryClient();
  const [code, setCode] = useState((o.tests.find((t) => !t.status) ?? o.tests[0])?.code ?? "");
  const list = useQuery(asks.tests(code));
  const test = list.data?.find((t) => t.code === code && (!o.party || t.laboratory === o.party));
  const [typed, setTyped] = useState<Record<string, Partial<Row>>>({});
  const [of, setOf] = useState({ number: "", collected: "", notes: "", paper: "", preliminary: false, sure: false });
  const [file, setFile] = useState<File | null>(null);
  const [id, setId] = useState(() => crypto.randomUUID() as string);
  const [error, setError] = useState("");
  const change = (x: Partial<typeof of>) => {
    setOf({ ...of, ...x });
    setId(crypto.randomUUID());
  };
  const set = (analyte: string, x: Partial<Row>) => {
    setTyped({ ...typed, [analyte]: { ...typed[analyte], ...x } });
    setId(crypto.randomUUID());
  };
  async function keep() {
    setError("");
    try {
      const pdf = file
        ? await file.arrayBuffer().then((b) => btoa(new Uint8Array(b).reduce((s, c) => s + String.fromCharCode(c), "")))
        : undefined;
      await got(
        api.POST("/api/orders/{id}/paper", {
          params: { path: { id: o.id } },
          body: {
            id,
            test: code,
            ...of,
            pdf,
            values: (test?.analytes ?? []).map((a) => ({
              analyte: a.code,
              text: typed[a.code]?.text ?? "",
              unit: typed[a.code]?.unit ?? a.unit,
              range: typed[a.code]?.range ?? "",
              flag: typed[a.code]?.flag ?? "",
            })),
          },
        }),
      );
      close();
      await client.invalidateQueries({ queryKey: ["desk"] });
      void client.invalidateQueries({ queryKey: ["chart"] });
      void client.invalidateQueries({ queryKey: ["orders"] });
    } catch (e) {
      setError(say(e));
    }
  }
  useKeys([{ key: "Ctrl+Enter", label: "Keep what was typed from paper", run: () => void keep() }]);
  return (
    <section aria-label="The answer on paper" className="mt-3 max-w-[860px] border border-edge bg-paper px-4 py-3">
      <p className="flex flex-wrap items-baseline gap-1.5">
        {o.tests.map((t) => (
          <Choice key={t.code} on={t.code === code} set={() => setCode(t.code)}>
            {t.name}
          </Choice>
        ))}
      </p>
      <table className="mt-2 w-full text-aside">
        <thead>
          <tr className="text-left text-small text-faded">
            <th className="font-semibold">Value</th>
            <th className="w-28 font-semibold">As it stands</th>
            <th className="w-28 font-semibold">Unit</th>
            <th className="w-36 font-semibold">Range there</th>
            <th className="w-20 font-semibold">Flag</th>
          </tr>
        </thead>
        <tbody>
          {(test?.analytes ?? []).map((a, n) => (
            <tr key={a.code}>
              <th className="py-0.5 pr-2 text-left font-normal">{a.name}</th>
              <td className="pr-2">
                <input
                  autoFocus={n === 0}
                  aria-label={a.name}
                  className="field mt-0 py-0.5 font-mono"
                  value={typed[a.code]?.text ?? ""}
                  onChange={(e) => set(a.code, { text: e.target.value })}
                />
              </td>
              <td className="pr-2">
                <input
                  aria-label={`Unit of ${a.name}`}
                  className="field mt-0 py-0.5"
                  value={typed[a.code]?.unit ?? a.unit}
                  onChange={(e) => set(a.code, { unit: e.target.value })}
                />
              </td>
              <td className="pr-2">
                <input
                  aria-label={`Range of ${a.name}`}
                  className="field mt-0 py-0.5"
                  value={typed[a.code]?.range ?? ""}
                  onChange={(e) => set(a.code, { range: e.target.value })}
                />
              </td>
              <td>
                <select
                  aria-label={`Flag of ${a.name}`}
                  className="min-h-6 rounded-[3px] border border-edge bg-leaf px-1 text-small"
                  value={typed[a.code]?.flag ?? ""}
                  onChange={(e) => set(a.code, { flag: e.target.value as Row["flag"] })}
                >
                  {flags.map((f) => (
                    <option key={f} value={f}>
                      {f || "none"}
                    </option>
                  ))}
                </select>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="mt-2 flex flex-wrap items-end gap-x-4 gap-y-2 text-small">
        <label className="flex flex-col text-faded">
          Taken on
          <input
            type="date"
            className="field mt-0 w-[140px] py-0.5 text-ink"
            value={of.collected}
            onChange={(e) => change({ collected: e.target.value })}
          />
        </label>
        <label className="flex flex-col text-faded">
          Their number
          <input
            className="field mt-0 w-[140px] py-0.5 text-ink"
            value={of.number}
            onChange={(e) => change({ number: e.target.value })}
          />
        </label>
        <label className="flex items-center gap-1.5">
          <input type="checkbox" checked={of.preliminary} onChange={(e) => change({ preliminary: e.target.checked })} />{" "}
          preliminary
        </label>
        <label className="flex flex-col text-faded">
          What else stands there
          <textarea
            rows={2}
            className="field mt-0 w-[380px] font-serif text-ink"
            value={of.notes}
            onChange={(e) => change({ notes: e.target.value })}
          />
        </label>
        <label className="flex flex-col text-faded">
          The paper as PDF
          <input
            type="file"
            accept="application/pdf"
            className="text-ink"
            onChange={(e) => setFile(e.target.files?.[0] ?? null)}
          />
        </label>
        <label className="flex flex-col text-faded">
          or how it came, and where it is kept
          <input
            className="field mt-0 w-[300px] py-0.5 text-ink"
            value={of.paper}
            onChange={(e) => change({ paper: e.target.value })}
          />
        </label>
      </div>
      <label className="mt-2 flex items-center gap-1.5">
        <input type="checkbox" checked={of.sure} onChange={(e) => change({ sure: e.target.checked })} />
        The paper says {p.given} {p.family}, born {day(p.birthDate)}
      </label>
      <p className="mt-2 flex items-baseline gap-3">
        <button type="button" className="act" onClick={() => void keep()}>
          Keep it <KeyCap k="Ctrl+Enter" />
        </button>
        <button type="button" className="plain" onClick={close}>
          Leave
        </button>
        <Wrong says={error} as="span" className="font-semibold" />
      </p>
    </section>
  );
}
