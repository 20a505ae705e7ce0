import { useQuery } from "@tanstack/react-query";
import { asks } from "../exchange/asks";
import { api, got, say } from "../exchange/client";
import { NotTaken } from "../line/NotTaken";

/** ToExchange is what the exchange has not taken. */
export function ToExchange({ id, next }: { id: string; next: string }) {
  const opened = useQuery(asks.toExchange(id));
  if (opened.error) return <p className="p-8">{say(opened.error)}</p>;
  const r = opened.data;
  if (!r) return <main id="page" className="flex-1 bg-leaf" />;
  return (
    <NotTaken
      key={id}
      {...r}
      about={`exchange ${id}`}
      next={next}
      settled={r.closed ? "The line is closed." : ""}
      waits="The line closes when the exchange has taken it."
      label="How it was given instead, or why it is not"
      settle={(how) => got(api.POST("/api/exchange/{id}", { params: { path: { id } }, body: { how } }))}
    />
  );
}
