import { useQuery } from "@tanstack/react-query";
import { api, got } from "../exchange/client";
import { useRight } from "../session/session";

/** useDeskCount is how many lines the person has open, kept fresh by events. */
export function useDeskCount() {
  const may = useRight("see results");
  return useQuery({ queryKey: ["desk", "count"], queryFn: () => got(api.GET("/api/desk/count")), enabled: may }).data;
}
