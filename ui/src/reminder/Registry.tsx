import { useQuery } from "@tanstack/react-query";
import { asks } from "../exchange/asks";
import { api, got, say } from "../exchange/client";
import { NotTaken } from "../line/NotTaken";

/** RegistryPage is a vaccine that the immunization registry has not taken. */
export function RegistryPage({ id, next }: { id: string; next: string }) {
  const opened = useQuery(asks.registry(id));
  if (opened.error) return <p className="p-8">{say(opened.error)}</p>;
  const r = opened.data;
  if (!r) return <main id="page" className="flex-1 bg-leaf" />;
  return (
    <NotTaken
      key={id}
      {...r}
      about={`registry ${id}`}
      next={next}
      title={`To the immunization registry: ${r.name}${r.struck ? ", struck" : ""}`}
      settled={r.state === "open" ? "" : r.answer}
      why={r.refused}
      waits="The line closes when the registry has taken it."
      label="How it was told instead"
      example="entered at the registry's own site"
      settle={(how) => got(api.POST("/api/registry/{id}", { params: { path: { id } }, body: { how } }))}
    />
  );
}
