import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, say } from "../exchange/client";
import { useDraft } from "../frame/left";
import { Form } from "../kit/Form";
import { Wrong } from "../kit/Wrong";
import { useRight } from "../session/me";
import { useSigning } from "../sign/useSigning";

/** AddTo adds to a review that is signed, which itself stays as it was. */
export function AddTo({ report, issue }: { report: string; issue: number }) {
  const client = useQueryClient();
  const may = useRight("sign a result");
  const [open, setOpen] = useState(false);
  const { d, request, change, given } = useDraft(
    `addendum ${report} ${issue}`,
    () => ({ says: "" }),
    (v) => v.says.trim() === "",
  );
  const [error, setError] = useState("");
  const { sign, dialog, busy } = useSigning();
  if (!may) return null;
  if (!open && d.says === "")
    return (
      <button type="button" className="plain px-0 py-0 text-small" onClick={() => setOpen(true)}>
        Add to it…
      </button>
    );
  return (
    <Form
      className="mt-2 max-w-[60ch]"
      leave={() => setOpen(false)}
      act={() =>
        sign({
          title: "Sign the addendum",
          lines: [d.says],
          act: (secret) =>
            got(
              api.POST("/api/reports/{id}/addenda", {
                params: { path: { id: report } },
                body: { id: request, issue, says: d.says, secret: secret ?? "" },
              }),
            ),
          done: () => {
            change({ says: "" });
            given();
            setOpen(false);
            void client.invalidateQueries({ queryKey: ["report"] });
          },
          failed: (e) => setError(say(e)),
        })
      }
    >
      <label className="label block">
        Added to the review; what was signed stays
        <textarea
          autoFocus
          rows={2}
          className="box mt-1 font-serif text-read text-ink"
          value={d.says}
          onChange={(e) => change({ says: e.target.value })}
        />
      </label>
      <Wrong says={error} className="text-aside" />
      <button type="submit" className="plain px-0" disabled={busy}>
        Sign the addendum
      </button>
      {dialog}
    </Form>
  );
}
