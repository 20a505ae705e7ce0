import type { Schemas } from "../exchange/client";

/** Page is what a patient shares, as the server tells it. */
export type Page = Schemas["SharingPage"];

/** Direction is one of the two ways in which something is shared. */
export type Direction = "in" | "out";

/** Says is what a patient says of having been at a house. */
export type Says = "confirmed" | "doubted" | "refused";

/** Act runs an act on the page, one after another, and says whether it was done. */
export type Act = (call: () => Promise<Page | undefined>) => Promise<boolean>;
