import { type ComponentProps, useState } from "react";
import { KeyCap, onEscape } from "../frame/keys";

/** Form is answered where it stands: Enter or its button runs the act, Escape leaves it undone and goes no further. */
export function Form({
  act,
  leave,
  onKeyDown,
  ...rest
}: Omit<ComponentProps<"form">, "onSubmit"> & { act: () => unknown; leave?: () => void }) {
  return (
    <form
      {...rest}
      onSubmit={(e) => {
        e.preventDefault();
        e.stopPropagation(); // a dialog opened from a form is not its answer
        void act();
      }}
      onKeyDown={(e) => {
        if (leave) onEscape(leave)(e);
        onKeyDown?.(e);
      }}
    />
  );
}

/** AddOrDone ends the line of a list that takes one entry after another. */
export function AddOrDone({ close }: { close: () => void }) {
  return (
    <>
      <button type="submit" className="plain py-0">
        Add <KeyCap k="Enter" />
      </button>
      <button type="button" className="plain py-0" onClick={close}>
        Done
      </button>
    </>
  );
}

/** Why asks, in place, for the reason an act needs; label says of what, says is what stands in the empty field. */
export function Why({
  label,
  says = "Why",
  word,
  act,
  leave,
  busy,
}: {
  label: string;
  says?: string;
  word: string;
  act: (reason: string) => unknown;
  leave: () => void;
  busy?: boolean;
}) {
  const [reason, setReason] = useState("");
  return (
    <Form className="flex flex-1 flex-wrap items-baseline gap-x-3" act={() => act(reason)} leave={leave}>
      <input
        autoFocus
        aria-label={label}
        placeholder={says}
        className="field w-auto max-w-[340px] min-w-[160px] flex-1 py-0.5"
        value={reason}
        onChange={(e) => setReason(e.target.value)}
      />
      <button type="submit" className="plain py-0" disabled={busy}>
        {word}
      </button>
      <button type="button" className="plain py-0" onClick={leave}>
        Leave it
      </button>
    </Form>
  );
}
