import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { useKeys } from "../frame/keys";
import { Choice } from "../kit/Choice";
import { Form } from "../kit/Form";
import { Table } from "../kit/Table";
import { Wrong } from "../kit/Wrong";
import { reaches } from "./Refer";

type Entry = Schemas["AddresseeView"];

/** Directory is whom the practice writes to: found by a few words, added and changed in place. */
export function Directory() {
  const [words, setWords] = useState("");
  const [editing, setEditing] = useState<Entry | null>(null);
  const found = useQuery({ ...asks.directory("", words, true), placeholderData: keepPreviousData });
  const add = () => setEditing({ kind: "practice", name: "", reach: "fax" });
  useKeys([{ key: "n", label: "Add to the directory", run: add }]);
  return (
    <main id="page" className="min-h-0 flex-1 overflow-auto bg-leaf px-10 py-5 max-phone:px-4">
      <h1 className="text-page">Directory</h1>
      <p className="small mb-3">Whom we write to, and how each wants to be reached.</p>
      <p className="mb-3 flex gap-3">
        <input
          aria-label="Find in the directory"
          placeholder="Name, what they do, or place"
          className="field mt-0 w-[320px]"
          value={words}
          onChange={(e) => setWords(e.target.value)}
        />
        <button type="button" className="choice" onClick={add}>
          Add…
        </button>
      </p>
      {editing && <Edit key={editing.id ?? "new"} entry={editing} close={() => setEditing(null)} />}
      {found.error && <p className="small">{say(found.error)}</p>}
      {found.data?.length === 0 && <p className="small">Nobody is found with these words.</p>}
      {(found.data ?? []).length > 0 && (
        <Table
          className="text-aside"
          columns={[
            { word: "Name", className: "w-64" },
            { word: "What they do" },
            { word: "Reached", className: "w-56" },
            { word: "Telephone", className: "w-28 max-slim:hidden" },
            { word: "NPI", className: "w-28 max-slim:hidden" },
          ]}
        >
          {(found.data ?? []).map((e) => (
            <tr key={e.id} className={`border-b border-rule align-baseline ${e.gone ? "text-faded" : ""}`}>
              <td className="py-1.5 pr-3">
                <button type="button" className="text-left font-semibold hover:underline" onClick={() => setEditing(e)}>
                  {e.person || e.name}
                </button>
                {e.person && <span className="small block">{e.name}</span>}
              </td>
              <td className="pr-3 pb-1.5">
                {e.kind === "pharmacy" ? "Pharmacy" : e.specialty}
                {e.remark && <span className="small block">{e.remark}</span>}
                {e.gone && <span className="small block">no longer written to</span>}
              </td>
              <td className="pr-3">{reaches(e)}</td>
              <td className="pr-3 max-slim:hidden">{e.phone}</td>
              <td className="font-mono text-small max-slim:hidden">{e.npi}</td>
            </tr>
          ))}
        </Table>
      )}
    </main>
  );
}

function Edit({ entry, close }: { entry: Entry; close: () => void }) {
  const client = useQueryClient();
  const [e, setE] = useState(entry);
  const [error, setError] = useState("");
  const field = (of: keyof Entry, word: string, width = "w-[220px]", autoFocus = false) => (
    <label className="block">
      <span className="text-small text-faded">{word}</span>
      <input
        autoFocus={autoFocus}
        className={`field mt-0 py-0.5 ${width}`}
        value={String(e[of] ?? "")}
        onChange={(x) => setE({ ...e, [of]: x.target.value })}
      />
    </label>
  );
  async function keep() {
    setError("");
    try {
      await got(api.POST("/api/directory", { body: e }));
      await client.invalidateQueries({ queryKey: ["directory"] });
      close();
    } catch (x) {
      setError(say(x));
    }
  }
  return (
    <Form className="mb-4 rounded-[3px] border border-edge bg-paper px-4 py-3" act={keep} leave={close}>
      <div className="flex flex-wrap gap-x-4 gap-y-2">
        {field("name", "Practice or pharmacy", "w-[260px]", true)}
        {field("person", "Person")}
        {field("specialty", "What they do, in words", "w-[280px]")}
        {field("phone", "Telephone", "w-[130px]")}
        {field("fax", "Fax", "w-[130px]")}
        {field("npi", "NPI", "w-[120px]")}
        {field("address", "Address", "w-[320px]")}
        {field("remark", "Remark", "w-[320px]")}
        {e.reach === "electronic" && field("account", "Account in their system", "w-[180px]")}
      </div>
      <p className="mt-2 flex flex-wrap items-baseline gap-1.5 text-small">
        {(["practice", "pharmacy"] as const).map((k) => (
          <Choice key={k} on={e.kind === k} set={() => setE({ ...e, kind: k })}>
            {k === "practice" ? "Practice" : "Pharmacy"}
          </Choice>
        ))}
        <span className="ml-3 text-faded">reached</span>
        {(["electronic", "fax", "letter"] as const).map((k) => (
          <Choice key={k} on={e.reach === k} set={() => setE({ ...e, reach: k })}>
            {k === "electronic" ? "Electronically" : k === "fax" ? "By fax" : "By letter"}
          </Choice>
        ))}
        {e.id && (
          <label className="ml-3 flex items-baseline gap-1">
            <input type="checkbox" checked={e.gone ?? false} onChange={(x) => setE({ ...e, gone: x.target.checked })} /> no longer
            written to
          </label>
        )}
      </p>
      <p className="mt-2 flex items-baseline gap-3">
        <button type="submit" className="act">
          Keep
        </button>
        <button type="button" className="plain" onClick={close}>
          Leave
        </button>
        <Wrong says={error} as="span" className="font-semibold" />
      </p>
    </Form>
  );
}
