import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { type ReactNode, useRef, useState } from "react";
import { Problem, say } from "../exchange/client";
import { KeyCap, rest } from "../frame/keys";
import { Form } from "../kit/Form";
import { Wrong } from "../kit/Wrong";

type Attempt = {
  title: string;
  lines: string[];
  act: (secret?: string) => Promise<unknown>;
  done: () => void;
  failed: (e: unknown) => void;
};

/** useSigning runs signing acts. While signing is open on this device the act is
 * done at once; otherwise the signer's secret is asked for, with what is signed. */
export function useSigning(): { sign: (a: Attempt) => Promise<void>; dialog: ReactNode; busy: boolean } {
  const [asking, setAsking] = useState<Attempt | null>(null);
  const [busy, setBusy] = useState(false);
  const under = useRef(false); // a second press while one is under way does nothing
  async function sign(a: Attempt, secret?: string): Promise<string> {
    if (under.current) return "";
    under.current = true;
    setBusy(true);
    try {
      await a.act(secret);
      setAsking(null);
      a.done();
    } catch (e) {
      if (e instanceof Problem && e.kind === "secret") {
        if (!secret) rest();
        setAsking(a);
        return secret ? e.message : "";
      }
      if (secret && e instanceof Problem && e.status === 429) return e.message;
      setAsking(null);
      a.failed(e);
    } finally {
      under.current = false;
      setBusy(false);
    }
    return "";
  }
  return {
    sign: async (a) => {
      await sign(a);
    },
    busy,
    dialog: asking && <SecretDialog attempt={asking} close={() => setAsking(null)} give={(s) => sign(asking, s)} />,
  };
}

function SecretDialog({
  attempt,
  close,
  give,
}: {
  attempt: Attempt;
  close: () => void;
  give: (secret: string) => Promise<string>;
}) {
  const [secret, setSecret] = useState("");
  const [error, setError] = useState("");
  async function submit() {
    try {
      setError(await give(secret));
    } catch (x) {
      setError(say(x));
    }
    setSecret("");
  }
  return (
    <Dialog open onClose={close} className="relative z-40">
      <div className="fixed inset-0 bg-ink/25" aria-hidden="true" />
      <DialogPanel className="fixed top-[18vh] left-1/2 w-[min(440px,94vw)] -translate-x-1/2 border border-edge bg-leaf p-6">
        <DialogTitle className="mb-2 text-title-m">{attempt.title}</DialogTitle>
        <ul className="mb-4">
          {attempt.lines.map((l) => (
            <li key={l}>{l}</li>
          ))}
        </ul>
        <Form act={submit}>
          <label className="label block">
            Signing secret
            <input
              type="password"
              autoFocus
              autoComplete="off"
              className="field text-ink"
              value={secret}
              onChange={(e) => setSecret(e.target.value)}
            />
          </label>
          <p className="small mt-1">It opens signing on this device for ten minutes.</p>
          <Wrong says={error} className="my-2 min-h-[21px] text-aside" />
          <button type="submit" className="act">
            Sign <KeyCap k="Enter" />
          </button>
          <button type="button" className="plain ml-4" onClick={close}>
            Not now <KeyCap k="Escape" />
          </button>
        </Form>
      </DialogPanel>
    </Dialog>
  );
}
