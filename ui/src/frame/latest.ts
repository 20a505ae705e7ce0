import { useLayoutEffect, useRef } from "react";

/** useLatest holds the value of the render that is on the screen, for what happens later: a key,
 * a timer, leaving the page. */
export function useLatest<T>(value: T) {
  const latest = useRef(value);
  useLayoutEffect(() => {
    latest.current = value;
  });
  return latest;
}
