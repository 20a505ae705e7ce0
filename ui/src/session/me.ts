import { createContext, useContext } from "react";
import type { Schemas } from "../exchange/client";

/** Me is whoever is signed in. */
export type Me = Schemas["Me"];

/** SignedIn gives the person signed in to what is within it. */
export const SignedIn = createContext<Me | null>(null);

/** useMe is the person signed in. */
export function useMe(): Me {
  const me = useContext(SignedIn);
  if (!me) throw new Error("nobody is signed in");
  return me;
}

/** useRight says whether the person's role has a right. */
export function useRight(right: Me["rights"][number]) {
  return useMe().rights.includes(right);
}
