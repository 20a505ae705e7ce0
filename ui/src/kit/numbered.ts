/** numbered gives things that have no name of their own their place in a list that never changes its order. */
export const numbered = <T>(things: readonly T[] | null | undefined) => (things ?? []).map((it, place) => ({ it, place }));
