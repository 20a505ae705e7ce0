import { type ComponentProps, type ReactNode, useLayoutEffect, useRef } from "react";
import type { Schemas } from "../exchange/client";
import { KeyCap } from "../frame/keys";

const typed = /(?:^|\s),([a-z0-9]*)$/;

// The first field of a text that is still open, {words} or {words|this|that}.
const field = (text: string, from = 0) => {
  const at = text.indexOf("{", from);
  const end = at < 0 ? -1 : text.indexOf("}", at);
  return end < 0 ? null : ([at, end + 1] as const);
};

/** SnippetBox is a text box in which a comma and the key of a snippet, with Tab, become its text; Tab goes on to its next open field. */
export function SnippetBox({
  snippets,
  value,
  set,
  box,
  label,
  above = "",
  ...rest
}: Omit<ComponentProps<"textarea">, "value" | "onChange" | "ref"> & {
  snippets: Schemas["PacketView"]["snippets"];
  value: string;
  set: (v: string) => void;
  label: ReactNode;
  above?: string; // the room above it
  box?: React.RefObject<HTMLTextAreaElement | null>;
}) {
  const own = useRef<HTMLTextAreaElement>(null);
  const ref = box ?? own;
  const select = useRef<readonly [number, number] | null>(null);
  const key = typed.exec(value)?.[1];
  const offered = key === undefined ? [] : snippets.filter((s) => s.key.startsWith(key)).slice(0, 4);
  useLayoutEffect(() => {
    if (select.current) ref.current?.setSelectionRange(...select.current);
    select.current = null;
  });
  return (
    <>
      <label className={`label block ${above}`}>
        {label}
        <textarea
          {...rest}
          ref={ref}
          value={value}
          onChange={(e) => set(e.target.value)}
          onKeyDown={(e) => {
            if (e.key !== "Tab" || e.shiftKey || e.altKey || e.ctrlKey) return;
            const end = e.currentTarget.selectionEnd;
            const s = offered[0];
            const before = value.slice(0, end);
            if (s && typed.test(before) && end === value.length) {
              e.preventDefault();
              const at = before.length - (key?.length ?? 0) - 1;
              const text = value.slice(0, at) + s.text;
              select.current = field(text, at) ?? [text.length, text.length];
              set(text);
              return;
            }
            const next = field(value, end);
            if (!next) return;
            e.preventDefault();
            e.currentTarget.setSelectionRange(...next);
          }}
        />
      </label>
      {offered.length > 0 && (
        <span role="status" className="small block">
          {offered.map((s, i) => (
            <span key={s.key} className="block">
              ,{s.key} {s.title} {i === 0 && <KeyCap k="Tab" />}
            </span>
          ))}
        </span>
      )}
    </>
  );
}
