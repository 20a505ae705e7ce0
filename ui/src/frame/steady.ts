import { useEffect, useRef, useState } from "react";

// How long a pointer that stands still may still be about to press.
const rest = 1200;

/** useSteady holds a list as it is while a pointer moves over it and shortly after, so that what arrives does not slide
 * another line under the hand. `of` names the list: another one is never held. */
export function useSteady<T>(of: string, value: T) {
  const [held, setHeld] = useState<{ of: string; value: T } | null>(null);
  const timer = useRef(0);
  useEffect(() => () => clearTimeout(timer.current), []);
  const over = {
    onPointerMove: () => {
      setHeld((was) => (was?.of === of ? was : { of, value }));
      clearTimeout(timer.current);
      timer.current = window.setTimeout(() => setHeld(null), rest);
    },
    onPointerLeave: () => {
      clearTimeout(timer.current);
      setHeld(null);
    },
  };
  return [held?.of === of ? held.value : value, over] as const;
}
