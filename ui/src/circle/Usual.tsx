import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useAct } from "../exchange/act";
import { asks } from "../exchange/asks";
import { api, got, type Schemas } from "../exchange/client";
import { onEscape } from "../frame/keys";
import { Wrong } from "../kit/Wrong";

/** Usual is who a patient usually sees, in the spine of the chart; it is changed in place. */
export function Usual({ chart }: { chart: Schemas["ChartView"] }) {
  const client = useQueryClient();
  const [changing, setChanging] = useState(false);
  const lists = useQuery({ ...asks.circle(), enabled: changing });
  const { act, error } = useAct(`usual ${chart.patient.id}`);
  async function set(staff: string) {
    await act(() => got(api.PUT("/api/patients/{id}/usual", { params: { path: { id: chart.patient.id } }, body: { staff } })));
    setChanging(false);
    await client.invalidateQueries({ queryKey: ["chart", chart.patient.id] });
  }
  return (
    <p className="text-faded">
      {changing ? (
        <select
          autoFocus
          aria-label="Usual clinician"
          className="field text-ink"
          value={lists.data?.people.find((p) => p.name === chart.usual)?.id ?? ""}
          onChange={(e) => set(e.target.value)}
          onKeyDown={onEscape(() => setChanging(false))}
        >
          <option value="">nobody said</option>
          {lists.data?.people
            .filter((p) => p.sees)
            .map((p) => (
              <option key={p.id} value={p.id}>
                {p.name}
              </option>
            ))}
        </select>
      ) : (
        <button
          type="button"
          className="text-left hover:underline"
          title="Change the usual clinician"
          onClick={() => setChanging(true)}
        >
          {chart.usual ? `Usual clinician ${chart.usual}` : "Usual clinician not recorded"}
        </button>
      )}
      <Wrong as="span" says={error} />
    </p>
  );
}
