import { useQuery } from "@tanstack/react-query";
import { asks } from "../exchange/asks";
import { useRight } from "../session/me";

/** useDeskCount is how many lines the person has open, kept fresh by events. */
export function useDeskCount() {
  const may = useRight("see results");
  return useQuery({ ...asks.deskCount(), enabled: may }).data;
}
