import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions } from "@headlessui/react";
import { keepPreviousData, type UseQueryOptions, useQuery, useQueryClient } from "@tanstack/react-query";
import { type KeyboardEvent, type ReactNode, type RefObject, useEffect, useRef } from "react";

/** SearchList finds by what is typed and chooses with Enter or the pointer. Enter chooses of what
 * belongs to all the letters typed, also when it is quicker than the answer. */
export function SearchList<D, H>({
  label,
  placeholder = label,
  input,
  query,
  setQuery,
  search,
  hits,
  id,
  choose,
  none,
  floats = false,
  onKey,
  under,
  children,
}: {
  label: string;
  placeholder?: string;
  input?: RefObject<HTMLInputElement | null>;
  query: string;
  setQuery: (q: string | ((now: string) => string)) => void;
  search: (q: string) => UseQueryOptions<D, Error, D, string[]>;
  hits: (found: D) => H[];
  id: (hit: H) => string;
  choose: (hit: H) => void;
  none?: string; // said when there is nothing of that kind
  floats?: boolean; // the list lies over what is below it
  onKey?: (e: KeyboardEvent<HTMLInputElement>) => boolean; // true: the key is done with
  under?: (choosing: Promise<void>) => void; // a choice that waits for its answer
  children: (hit: H) => ReactNode;
}) {
  const client = useQueryClient();
  const typed = query.trim() !== "";
  const found = useQuery({ ...search(query), enabled: typed, placeholderData: keepPreviousData });
  const list = typed && found.data !== undefined ? hits(found.data as D) : [];
  const shown = useRef<HTMLDivElement>(null);
  // What lies over the page is brought into sight with its field.
  useEffect(() => {
    if (floats && list.length > 0) shown.current?.scrollIntoView({ block: "nearest" });
  }, [floats, list.length]);
  const settled = found.isSuccess && !found.isFetching && !found.isPlaceholderData;
  return (
    <Combobox<H | null> value={null} onChange={(h) => h && choose(h)} immediate>
      <ComboboxInput
        ref={input}
        aria-label={label}
        placeholder={placeholder}
        className="field"
        autoComplete="off"
        value={query}
        onChange={(e) => setQuery(e.target.value)}
        onKeyDown={async (e) => {
          if (onKey?.(e) || e.key !== "Enter" || e.ctrlKey || e.metaKey || !typed || settled) return;
          e.preventDefault(); // what is on the screen belongs to fewer letters
          setQuery(""); // what is typed meanwhile is the next search
          const choosing = client.fetchQuery(search(query)).then((found) => {
            const first = hits(found)[0];
            if (first) choose(first);
            else setQuery((now) => now || query);
          });
          under?.(choosing);
          await choosing;
        }}
      />
      <ComboboxOptions
        ref={shown}
        static
        modal={false}
        className={
          list.length === 0
            ? "hidden"
            : floats
              ? "absolute z-10 mt-1 w-full border border-edge bg-leaf text-aside"
              : "mt-1 border-b border-rule text-aside"
        }
      >
        {list.map((h) => (
          <ComboboxOption
            key={id(h)}
            value={h}
            data-hit={settled ? id(h) : undefined}
            className="cursor-pointer px-2 py-1 data-focus:bg-kelp-wash"
          >
            {children(h)}
          </ComboboxOption>
        ))}
      </ComboboxOptions>
      {none && typed && settled && list.length === 0 && <span className="small">{none}</span>}
    </Combobox>
  );
}
