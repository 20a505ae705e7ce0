import { useEffect, useRef } from "react";

type Pages = { hasNextPage: boolean; isFetchingNextPage: boolean; fetchNextPage: () => unknown };

/** More ends a list that comes in pages: it brings the next one when it is pressed, and where
 * there is nothing else below, when it comes into sight. */
export function More({ of: pages, word = "More", itself = false }: { of: Pages; word?: string; itself?: boolean }) {
  const here = useRef<HTMLButtonElement>(null);
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = pages;
  useEffect(() => {
    if (!itself || !hasNextPage || isFetchingNextPage) return;
    const seen = new IntersectionObserver((e) => e[0]?.isIntersecting && void fetchNextPage());
    if (here.current) seen.observe(here.current);
    return () => seen.disconnect();
  }, [itself, hasNextPage, isFetchingNextPage, fetchNextPage]);
  if (!hasNextPage) return null;
  return (
    <button ref={here} type="button" className={itself ? "plain mx-4 my-2" : "choice my-3"} onClick={() => void fetchNextPage()}>
      {word}
    </button>
  );
}
