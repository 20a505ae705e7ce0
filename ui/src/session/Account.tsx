import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useAct } from "../exchange/act";
import { asks } from "../exchange/asks";
import { api, got, say } from "../exchange/client";
import { clock, day } from "../frame/time";
import { Form } from "../kit/Form";
import { Table } from "../kit/Table";
import { Wrong } from "../kit/Wrong";
import { Factor } from "./Factor";
import { useMe, useRight } from "./me";
import { Npi } from "./Npi";

/** Account is a person's own password and signing secret, and where they are signed in. */
export function Account() {
  const client = useQueryClient();
  const me = useMe();
  const signs = useRight("sign an order");
  const sessions = useQuery(asks.ownSessions());
  const { act, error } = useAct("account");
  const [current, setCurrent] = useState("");
  const [password, setPassword] = useState("");
  const [secret, setSecret] = useState("");
  const [done, setDone] = useState("");
  const again = () => client.invalidateQueries({ queryKey: asks.ownSessions().queryKey });
  async function change() {
    setDone("");
    const ok = await act(async () => {
      await got(api.PUT("/api/session/secrets", { body: { current, password, secret } }));
      return true;
    });
    if (!ok) return;
    setCurrent("");
    setPassword("");
    setSecret("");
    setDone("Changed. You are signed out everywhere else.");
    await again();
  }
  const fields = [
    { label: "Password of now", value: current, set: setCurrent, complete: "current-password" },
    { label: "New password, at least 10 characters", value: password, set: setPassword, complete: "new-password" },
    { label: "New signing secret, at least 6 characters", value: secret, set: setSecret, complete: "off" },
  ];
  return (
    <main id="page" className="min-h-0 flex-1 overflow-auto bg-leaf px-6 py-5">
      <h1 className="mb-1 text-page">My password and sign-ins</h1>
      <p className="small mb-5">
        {me.name}, {me.role}
      </p>
      <Form act={change} className="mb-8 max-w-[420px]">
        <h2 className="mb-2 text-title">Change the password or the signing secret</h2>
        <p className="small mb-3">What you leave empty stays as it is. The two must differ.</p>
        {fields.map((f) => (
          <label key={f.label} className="label mb-3 block">
            {f.label}
            <input
              type="password"
              autoComplete={f.complete}
              className="field text-ink"
              value={f.value}
              onChange={(e) => f.set(e.target.value)}
            />
          </label>
        ))}
        <Wrong says={error} className="min-h-[21px] text-aside" />
        <p role="status" className="min-h-[21px] text-aside">
          {done}
        </p>
        <button type="submit" className="act" disabled={current === "" || (password === "" && secret === "")}>
          Change
        </button>
      </Form>
      <Factor />
      {signs && <Npi />}
      <h2 className="mb-2 text-title">Where I am signed in</h2>
      {sessions.error && <p>{say(sessions.error)}</p>}
      <Table className="max-w-[640px] text-aside" columns={["Since", "Last used", "", ""].map((word) => ({ word }))}>
        {sessions.data?.map((s) => (
          <tr key={s.id} className="h-[30px] border-b border-rule">
            <td>
              {day(s.since)} {clock(s.since)}
            </td>
            <td>
              {day(s.seen)} {clock(s.seen)}
            </td>
            <td>{s.here ? "here" : s.locked ? "locked" : ""}</td>
            <td>
              {!s.here && (
                <button
                  type="button"
                  className="plain py-0"
                  onClick={() =>
                    void act(() => got(api.DELETE("/api/session/all/{id}", { params: { path: { id: s.id } } }))).then(again)
                  }
                >
                  Sign out there
                </button>
              )}
            </td>
          </tr>
        ))}
      </Table>
    </main>
  );
}
