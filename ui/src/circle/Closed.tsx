import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useLocation, useNavigate } from "react-router";
import { useAct } from "../exchange/act";
import { asks } from "../exchange/asks";
import { api, got, say, watchProblems } from "../exchange/client";
import { KeyCap } from "../frame/keys";
import { useLeft } from "../frame/left";
import { day } from "../frame/time";
import { Form } from "../kit/Form";
import { Wrong } from "../kit/Wrong";

/** Closed stands before a chart that is not open to the person, whatever asked for it, and asks for a sentence why. */
export function Closed() {
  const [patient, setPatient] = useState("");
  const place = useLocation();
  useEffect(
    () =>
      watchProblems((p) => {
        if (p.kind === "closed-chart") setPatient(p.of);
      }),
    [],
  );
  // biome-ignore lint/correctness/useExhaustiveDependencies: another page is another question
  useEffect(() => setPatient(""), [place.pathname]);
  if (!patient) return null;
  return <Door key={patient} patient={patient} close={() => setPatient("")} />;
}

function Door({ patient, close }: { patient: string; close: () => void }) {
  const go = useNavigate();
  const place = useLocation();
  const client = useQueryClient();
  const door = useQuery(asks.door(patient));
  const [reason, setReason] = useLeft(
    `closed ${patient}`,
    () => "",
    (v) => v === "",
  );
  const { act, error } = useAct("closed");
  const d = door.data;
  async function open() {
    const done = await act(async () => {
      await got(api.POST("/api/patients/{id}/open", { params: { path: { id: patient } }, body: { reason } }));
      return true;
    });
    if (!done) return;
    setReason("");
    close();
    await client.invalidateQueries();
  }
  function leave() {
    close();
    // A page that is of this chart has nothing to show.
    if (/^\/(patients|visits|desk\/[^/]+)\//.test(place.pathname)) go("/");
  }
  return (
    <Dialog open onClose={leave} className="relative z-40">
      <div className="fixed inset-0 bg-ink/25" aria-hidden="true" />
      <DialogPanel className="fixed top-[14vh] left-1/2 w-[min(560px,94vw)] -translate-x-1/2 border border-edge bg-leaf p-6">
        <DialogTitle className="text-page">This chart is not open to you</DialogTitle>
        {door.error && <p>{say(door.error)}</p>}
        {d && (
          <Form act={open}>
            <p className="mt-2 text-read">
              <span className="font-semibold">
                {d.patient.given} {d.patient.family}
              </span>
              , {d.patient.age}, {d.patient.sex}, born {day(d.patient.birthDate)}, record{" "}
              <span className="font-mono text-small">{d.patient.record}</span>
            </p>
            <p className="mt-2 text-faded">
              Nobody of your team, and nobody you cover for, has a visit, an order or an open line with this patient. Say in a
              sentence why you open the chart. It opens at once, for {d.hours} hours, and {d.reviewer} looks at it afterwards.
            </p>
            <label className="label mt-4 block">
              Why I open this chart
              <input
                autoFocus
                className="field text-read text-ink"
                autoComplete="off"
                value={reason}
                onChange={(e) => setReason(e.target.value)}
              />
            </label>
            <Wrong says={error} className="min-h-[21px] text-aside" />
            <div className="mt-1 flex gap-3">
              <button type="submit" className="act">
                Open the chart <KeyCap k="Enter" />
              </button>
              <button type="button" className="plain" onClick={leave}>
                Leave it closed <KeyCap k="Escape" />
              </button>
            </div>
          </Form>
        )}
      </DialogPanel>
    </Dialog>
  );
}
