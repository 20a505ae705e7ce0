import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useQueryClient } from "@tanstack/react-query";
import { api, got } from "../exchange/client";
import { useMe } from "../session/me";
import { KeyCap, useShownKeys } from "./keys";

/** Help lists the keys of the screen and switches one-letter keys off. */
export function Help({ close }: { close: () => void }) {
  const keys = useShownKeys();
  const me = useMe();
  const client = useQueryClient();
  async function toggle() {
    await got(api.PUT("/api/session/keys", { body: { on: !me.singleKeys } }));
    await client.invalidateQueries({ queryKey: ["me"] });
  }
  return (
    <Dialog open onClose={close} className="relative z-40">
      <div className="fixed inset-0 bg-ink/25" aria-hidden="true" />
      <DialogPanel className="fixed top-[10vh] left-1/2 max-h-[80vh] w-[min(480px,94vw)] -translate-x-1/2 overflow-auto border border-edge bg-leaf p-5">
        <DialogTitle className="mb-3 text-title-m">Keys of this screen</DialogTitle>
        <ul>
          {[...Map.groupBy(keys, (k) => k.label)].map(([label, same]) => (
            <li key={label} className="flex items-baseline justify-between gap-3 border-b border-rule py-1.5">
              <span>{label}</span>
              <span className="shrink-0">
                {same
                  .toSorted((a, b) => a.key.length - b.key.length)
                  .map((k) => (
                    <KeyCap key={k.key} k={k.key} />
                  ))}
              </span>
            </li>
          ))}
        </ul>
        <label className="mt-4 flex items-center gap-2">
          <input type="checkbox" checked={me.singleKeys} onChange={toggle} className="size-4 accent-kelp" />
          One-letter keys work when I am not typing
        </label>
        <div className="mt-4 flex items-baseline justify-between">
          <button type="button" className="choice" onClick={close}>
            Close <KeyCap k="Escape" />
          </button>
          <a className="small hover:underline" href="/notices.txt" target="_blank" rel="noreferrer">
            Licences of what this program contains
          </a>
        </div>
      </DialogPanel>
    </Dialog>
  );
}
