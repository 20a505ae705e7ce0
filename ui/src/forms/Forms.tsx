import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { KeyCap, useKeys } from "../frame/keys";
import { day } from "../frame/time";
import { Form } from "../kit/Form";
import { Wrong } from "../kit/Wrong";
import { useRight } from "../session/me";

type Row = Schemas["FormRow"];

const kinds: Record<string, string> = {
  interview: "Interviews",
  systems: "Finding lists",
  visits: "Kinds of visit",
  snippets: "Snippets",
  sets: "Sets",
  letters: "Letters",
  leaflets: "Leaflets",
  services: "Services",
};

/** Forms is where the clinic's and one's own forms are changed, with a preview. */
export default function Forms() {
  const forms = useQuery(asks.forms());
  const [chosen, setChosen] = useState<Row | null>(null);
  if (forms.error) return <p className="p-8">{say(forms.error)}</p>;
  return (
    <div className="flex min-h-0 flex-1 max-slim:flex-col max-slim:overflow-auto">
      <nav aria-label="Forms" className="w-[260px] shrink-0 overflow-auto border-r border-rule px-4 py-4 text-aside">
        <h1 className="mb-2 text-page">Forms</h1>
        {Object.entries(kinds).map(([k, words]) => (
          <section key={k} className="mb-3">
            <h2 className="label font-sans">{words}</h2>
            {forms.data?.forms
              .filter((f) => f.kind === k)
              .map((f) => (
                <button
                  key={f.kind + f.id + f.owner}
                  type="button"
                  aria-current={chosen === f}
                  className={`block w-full px-1.5 py-0.5 text-left hover:bg-kelp-wash ${chosen?.id === f.id && chosen.kind === f.kind && chosen.owner === f.owner ? "bg-kelp-wash font-semibold" : ""}`}
                  onClick={() => setChosen(f)}
                >
                  {f.title}{" "}
                  <span className="font-normal text-faded">
                    {f.version === 0 ? "none yet" : f.shipped ? "as shipped" : `version ${f.version}`}
                  </span>
                </button>
              ))}
          </section>
        ))}
        {forms.data?.codes && (
          <p className="margin-note mb-2 border-carried">
            <span className="block font-semibold">The code edition does not cover today</span>
            {forms.data.codes} How: “A new edition of the codes” in the notes on operation, <code>deftledger codes load</code>.
          </p>
        )}
        {forms.data?.skipped.map((s) => (
          <p key={s} className="margin-note mb-2 border-carried">
            Not used: {s}
          </p>
        ))}
      </nav>
      {chosen ? (
        <Editor key={chosen.kind + chosen.id + chosen.owner} row={chosen} />
      ) : (
        <main id="page" className="flex-1 bg-leaf p-8">
          <p className="small">Choose a form. Each change is a new version; notes written before go on reading as they did.</p>
        </main>
      )}
    </div>
  );
}

function Editor({ row }: { row: Row }) {
  const client = useQueryClient();
  const change = useRight("change the clinic's forms");
  const may = change || row.owner === "me";
  const form = useQuery({
    queryKey: ["form", row.kind, row.id, row.owner],
    queryFn: () =>
      got(api.GET("/api/forms/{kind}/{id}", { params: { path: { kind: row.kind, id: row.id }, query: { owner: row.owner } } })),
  });
  const [body, setBody] = useState("");
  const [prose, setProse] = useState("");
  const [id, setId] = useState(row.id);
  const [said, setSaid] = useState("");
  const box = useRef<HTMLTextAreaElement>(null);
  const file = useRef<HTMLInputElement>(null);
  const [preview, setPreview] = useState<Schemas["Preview"] | null>(null);
  useEffect(() => {
    if (form.data) {
      setBody(form.data.body);
      setProse(form.data.prose);
    }
  }, [form.data]);
  const base = id === row.id ? (form.data?.version ?? 0) : 0;
  const text = () => ({
    kind: row.kind,
    id,
    owner: row.owner,
    body,
    prose: id === row.id ? prose : prose.replace(/^interview: .*$/m, `interview: ${id}`),
    base,
  });
  async function look() {
    try {
      setPreview(await got(api.POST("/api/forms/try", { body: text() })));
      setSaid("");
    } catch (e) {
      setSaid(say(e));
    }
  }
  async function save() {
    try {
      const r = await got(api.POST("/api/forms", { body: text() }));
      setSaid(`Kept as version ${r.version}.`);
      await client.invalidateQueries({ queryKey: ["forms"] });
      await client.invalidateQueries({ queryKey: ["form"] });
      await client.invalidateQueries({ queryKey: ["writing-tools"] });
    } catch (e) {
      setSaid(say(e));
    }
  }
  /** load puts a file into the text; it is kept only as a new version. */
  async function load(f: File | undefined) {
    if (!f) return;
    try {
      setBody(new TextDecoder("utf-8", { fatal: true }).decode(await f.arrayBuffer()));
      setSaid(`${f.name} is in the text, not kept yet: look at the preview, then keep it as a new version.`);
      setPreview(null);
    } catch {
      setSaid(`${f.name} is not in UTF-8; save it again in UTF-8.`);
    }
  }
  async function earlier(version: number) {
    const params = { path: { kind: row.kind, id: row.id }, query: { owner: row.owner, version } };
    const old = await got(api.GET("/api/forms/{kind}/{id}", { params }));
    setBody(old.body);
    setProse(old.prose);
    setSaid(`Version ${version} is in the text. Kept, it becomes the newest.`);
  }
  useKeys([
    { key: "Alt+p", label: "Preview", run: () => void look() },
    ...(may ? [{ key: "Ctrl+Enter", label: "Keep as a new version", run: () => void save() }] : []),
  ]);
  return (
    <>
      <main id="page" className="flex min-w-0 flex-1 flex-col bg-leaf px-6 py-4">
        <div className="flex items-baseline gap-3">
          <h2 className="flex-1 text-title-l">{row.title}</h2>
          {row.kind === "interview" && may && (
            <label className="flex items-baseline gap-1.5 text-aside text-faded">
              Name
              <input
                className="field w-44 py-0 text-ink"
                title="Another name makes a copy"
                value={id}
                onChange={(e) => setId(e.target.value)}
              />
            </label>
          )}
        </div>
        <label className="label mt-2 flex min-h-0 flex-[3] flex-col">
          {row.kind === "interview" ? "Questions (FHIR Questionnaire)" : row.kind === "services" ? services : "Text of the form"}
          <textarea
            ref={box}
            className="box mt-1 min-h-0 flex-1 resize-none font-mono text-small text-ink"
            spellCheck={false}
            readOnly={!may}
            value={body}
            onChange={(e) => setBody(e.target.value)}
          />
        </label>
        {row.kind === "interview" && (
          <label className="label mt-2 flex min-h-0 flex-[2] flex-col">
            How the answers read
            <textarea
              className="box mt-1 min-h-0 flex-1 resize-none font-mono text-small text-ink"
              spellCheck={false}
              readOnly={!may}
              value={prose}
              onChange={(e) => setProse(e.target.value)}
            />
          </label>
        )}
        <Wrong says={said} className="min-h-[22px] pt-1 text-aside" />
        <div className="flex gap-3">
          {may && (
            <button type="button" className="act" onClick={() => void save()}>
              Keep as a new version <KeyCap k="Ctrl+Enter" />
            </button>
          )}
          <button type="button" className="choice" onClick={() => void look()}>
            Preview <KeyCap k="Alt+p" />
          </button>
          {may && row.kind !== "interview" && (
            <button type="button" className="plain" onClick={() => file.current?.click()}>
              From a file…
            </button>
          )}
          <input
            ref={file}
            type="file"
            hidden
            aria-label="Read the form from a file"
            accept={row.kind === "services" ? ".csv,.txt,.tsv" : ".yaml,.yml"}
            onChange={(e) => {
              void load(e.target.files?.[0]);
              e.target.value = "";
            }}
          />
        </div>
      </main>
      <aside aria-label="Preview" className="w-[360px] shrink-0 overflow-auto border-l border-rule px-4 py-5 text-aside">
        {row.kind !== "interview" && row.kind !== "services" && body && (
          <Entries
            body={body}
            may={may}
            show={(from, to) => show(box.current, from, to)}
            put={(text, line) => {
              setBody(text);
              setSaid("The copy is in the text, not kept yet: change it, then keep it as a new version.");
              requestAnimationFrame(() => show(box.current, line, line));
            }}
          />
        )}
        <Versions row={row} show={(v) => void earlier(v).catch((e) => setSaid(say(e)))} />
        <h2 className="mb-2 text-title">Preview</h2>
        {!preview && (
          <p className="small">The preview shows what is asked and how it reads, or what is wrong and in which line.</p>
        )}
        {preview?.fault && <p className="border-l-[3px] border-alarm pl-3 text-alarm">{preview.fault}</p>}
        {preview?.says.map((s, i) =>
          row.kind === "interview" && i === preview.says.length - 1 ? (
            <p key={s} className="mt-2 border-t border-rule pt-2 font-serif text-title-s">
              {s}
            </p>
          ) : (
            // biome-ignore lint/suspicious/noArrayIndexKey: two lines can read the same
            <p key={`${i}${s}`}>{s}</p>
          ),
        )}
      </aside>
    </>
  );
}

const services =
  "The clinic's own services, as a table: code, words, and if wanted kind (visit, preventive, service, supply), from and below (ages in completed months)";

// Versions lists the versions of a form; each can be put back into the text.
function Versions({ row, show }: { row: Row; show: (version: number) => void }) {
  const versions = useQuery({
    queryKey: ["form", row.kind, row.id, row.owner, "versions"],
    queryFn: () =>
      got(
        api.GET("/api/forms/{kind}/{id}/versions", {
          params: { path: { kind: row.kind, id: row.id }, query: { owner: row.owner } },
        }),
      ),
  });
  if ((versions.data ?? []).length < 2) return null;
  return (
    <section aria-label="Versions" className="mb-4">
      <h2 className="mb-1 text-title">Versions</h2>
      <ul className="max-h-[160px] overflow-auto">
        {versions.data?.map((v, i) => (
          <li key={v.version} className="flex items-baseline gap-2">
            <span className="flex-1">
              {v.version}
              <span className="text-faded"> · {v.by ? `${v.by}, ${day(v.at)}` : "as shipped"}</span>
            </span>
            {i > 0 && (
              <button type="button" className="plain py-0" onClick={() => show(v.version)}>
                Read…
              </button>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}

// show brings lines of a text into view and selects them.
function show(box: HTMLTextAreaElement | null, from: number, to: number) {
  if (!box) return;
  const lines = box.value.split("\n");
  const start = lines.slice(0, from - 1).join("\n").length + (from > 1 ? 1 : 0);
  box.focus();
  box.setSelectionRange(start, start + lines.slice(from - 1, to).join("\n").length);
  // Long lines wrap: the place is measured by what stands before it.
  const height = box.scrollHeight / Math.max(1, lines.length);
  box.scrollTop = Math.max(0, (from - 3) * height);
}

// Entries lists what a form of many entries holds; one of them can be copied under
// another name, to be changed.
function Entries({
  body,
  may,
  show,
  put,
}: {
  body: string;
  may: boolean;
  show: (from: number, to: number) => void;
  put: (body: string, line: number) => void;
}) {
  const [copying, setCopying] = useState<Schemas["Entry"] | null>(null);
  const [id, setId] = useState("");
  const [title, setTitle] = useState("");
  const [error, setError] = useState("");
  const entries = useQuery({
    queryKey: ["form-entries", body],
    queryFn: () => got(api.POST("/api/forms/entries", { body: { body } })),
    placeholderData: (before) => before,
    retry: false,
  });
  async function copy() {
    if (!copying) return;
    try {
      const out = await got(
        api.POST("/api/forms/copy", { body: { body, list: copying.list as "kinds", entry: copying.id, id, title } }),
      );
      setCopying(null);
      setError("");
      put(out.body, out.line);
    } catch (x) {
      setError(say(x));
    }
  }
  return (
    <section aria-label="Entries" className="mb-4">
      <h2 className="mb-1 text-title">Entries</h2>
      <ul className="max-h-[280px] overflow-auto">
        {entries.data?.map((e) => (
          <li key={e.list + e.id} className="flex items-baseline gap-2">
            <button type="button" className="flex-1 py-0.5 text-left hover:bg-kelp-wash" onClick={() => show(e.from, e.to)}>
              {e.title || e.id} {["review", "examination"].includes(e.list) && <span className="text-faded">{e.list}</span>}
            </button>
            {may && (
              <button
                type="button"
                className="plain py-0"
                aria-label={`Copy ${e.title || e.id}`}
                onClick={() => {
                  setCopying(e);
                  setId(e.list === "snippets" ? `${e.id}own` : `${e.id}-own`);
                  setTitle(`${e.title}, our way`.replace(",", ""));
                }}
              >
                Copy…
              </button>
            )}
          </li>
        ))}
      </ul>
      {copying && (
        <Form className="mt-2 border border-edge p-2" act={copy} leave={() => setCopying(null)}>
          <label className="label block">
            Name of the copy
            <input autoFocus className="field py-0.5 text-ink" value={id} onChange={(e) => setId(e.target.value)} />
          </label>
          <label className="label block">
            Title
            <input className="field py-0.5 text-ink" value={title} onChange={(e) => setTitle(e.target.value)} />
          </label>
          <button type="submit" className="choice mt-2 py-0.5">
            Copy {copying.title || copying.id} <KeyCap k="Enter" />
          </button>
          <Wrong says={error} />
        </Form>
      )}
    </section>
  );
}
