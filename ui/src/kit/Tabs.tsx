import { useRef } from "react";

/** Tabs choose one of a few lists; the arrow keys go from one to the next. */
export function Tabs<K extends string>({
  label,
  tabs,
  at,
  choose,
  hidden = false,
}: {
  label: string;
  tabs: { key: K; word: string }[];
  at: K;
  choose: (key: K) => void;
  hidden?: boolean;
}) {
  const list = useRef<HTMLDivElement>(null);
  function step(by: number) {
    const i = (tabs.findIndex((t) => t.key === at) + by + tabs.length) % tabs.length;
    const to = tabs[i];
    if (!to) return;
    choose(to.key);
    (list.current?.children[i] as HTMLElement | undefined)?.focus();
  }
  return (
    <div
      ref={list}
      role="tablist"
      aria-label={label}
      className={`flex gap-4 border-b border-rule px-4 pt-2.5 ${hidden ? "invisible" : ""}`}
      onKeyDown={(e) => {
        const by = { ArrowRight: 1, ArrowLeft: -1 }[e.key];
        if (!by) return;
        e.preventDefault();
        e.stopPropagation();
        step(by);
      }}
    >
      {tabs.map((t) => (
        <button
          key={t.key}
          type="button"
          role="tab"
          aria-selected={at === t.key}
          tabIndex={at === t.key ? 0 : -1}
          className={`border-b-2 pb-1.5 text-aside ${at === t.key ? "border-kelp font-semibold" : "border-transparent text-faded"}`}
          onClick={() => choose(t.key)}
        >
          {t.word}
        </button>
      ))}
    </div>
  );
}
