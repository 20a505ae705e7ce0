import { useState } from "react";
import type { Schemas } from "../exchange/client";
import { numbered } from "../kit/numbered";

const says: Record<string, string> = { "application/pdf": "PDF", "image/png": "picture", "image/jpeg": "picture" };

const size = (n: number) =>
  n < 1024 ? `${n} bytes` : n < 1024 * 1024 ? `${Math.round(n / 1024)} KB` : `${(n / 1024 / 1024).toFixed(1)} MB`;

/** Files are what came attached: pictures stand in the page, a PDF opens in it or by itself, anything else is only kept. */
export function Files({ report, files }: { report: string; files: Schemas["AttachedView"][] }) {
  const [shown, show] = useState("");
  return numbered(files).map(({ it: f, place }) => {
    const at = `/api/reports/${report}/attached/${f.sum}`;
    const kind = says[f.type];
    return (
      <figure key={place} className="mt-3">
        <figcaption className="text-aside">
          <b>{f.name}</b>{" "}
          {f.wrong ? (
            <span className="text-carried">
              came attached and cannot be read: {f.wrong}. Ask the laboratory to send it again.
            </span>
          ) : (
            <span className="text-faded">
              {kind ?? "a file we do not open"}, {size(f.size)}
              {f.said && <span className="text-carried"> · it was said to be {f.said}</span>}
            </span>
          )}
          {f.type === "application/pdf" && (
            <button
              type="button"
              className="plain ml-3 py-0"
              aria-expanded={shown === f.sum}
              onClick={() => show(shown === f.sum ? "" : f.sum)}
            >
              {shown === f.sum ? "Close it" : "Read it here"}
            </button>
          )}
          {!f.wrong && (
            <a className="plain ml-3 py-0" href={at} target="_blank" rel="noreferrer">
              {kind ? "In a window of its own" : "Save it as a file"}
            </a>
          )}
        </figcaption>
        {kind === "picture" && <img src={at} alt={f.name} className="mt-2 max-h-[420px] max-w-full border border-rule" />}
        {shown === f.sum && (
          <iframe src={`${at}#navpanes=0&view=FitH`} title={f.name} className="mt-2 h-[70vh] w-full border border-rule" />
        )}
      </figure>
    );
  });
}
