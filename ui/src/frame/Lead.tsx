import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useLocation, useNavigate } from "react-router";
import { asks } from "../exchange/asks";
import { useMe, useRight } from "../session/me";
import { KeyCap, useKeys } from "./keys";

const long = 7; // days after which an unsigned note leads its signer straight to it

/** Lead announces unsigned notes at sign-in. One that waited seven days or more is
 * opened at once; a step past it leads to Today. */
export function Lead() {
  const me = useMe();
  const sign = useRight("sign a note");
  const go = useNavigate();
  const place = useLocation();
  const slot = `deftledger:announced:${me.id}`;
  const [shown, setShown] = useState(() => sessionStorage.getItem(slot) === null);
  const unsigned = useQuery({
    ...asks.unsigned(),
    enabled: sign && shown,
  });
  const list = unsigned.data ?? [];
  const oldest = list[0];
  const late = oldest && oldest.days >= long ? oldest : undefined;
  const there = late ? `/patients/${late.patientId}/visits/${late.visitId}` : "";
  // biome-ignore lint/correctness/useExhaustiveDependencies: led once, at sign-in
  useEffect(() => {
    if (shown && there && place.pathname === "/") go(there);
  }, [there]);
  const past = () => {
    sessionStorage.setItem(slot, "1");
    setShown(false);
    if (late) go("/"); // also while the note is still on its way to the screen
  };
  const on = sign && shown && oldest !== undefined;
  useKeys(on ? [{ key: "Alt+u", label: late ? "Step past the unsigned note" : "Put the announcement away", run: past }] : []);
  if (!on || !oldest) return null;
  return (
    <div role="status" className="flex items-baseline gap-4 border-b border-carried bg-leaf px-4 py-1.5 text-aside">
      <span className="flex-1">
        {late ? (
          <>
            <span className="font-semibold text-carried">
              {late.name}: this note has waited {late.days} days for your signature.
            </span>{" "}
            {list.length > 1 && `${list.length - 1} more unsigned.`}
          </>
        ) : (
          <>
            {list.length} unsigned {list.length === 1 ? "note" : "notes"}, the oldest {oldest.days}{" "}
            {oldest.days === 1 ? "day" : "days"}:{" "}
            <Link className="font-semibold text-kelp" to={`/patients/${oldest.patientId}/visits/${oldest.visitId}`}>
              {oldest.name}
            </Link>
          </>
        )}
      </span>
      <button type="button" className="plain py-0" onClick={past}>
        {late ? "Step past, to Today" : "Later"} <KeyCap k="Alt+u" />
      </button>
    </div>
  );
}
