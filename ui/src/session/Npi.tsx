import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { asks } from "../exchange/asks";
import { api, got, say } from "../exchange/client";
import { Form } from "../kit/Form";
import { Wrong } from "../kit/Wrong";

/** Npi confirms the number under which the own orders go out, once. */
export function Npi() {
  const client = useQueryClient();
  const own = useQuery(asks.ownNpi());
  const [npi, setNpi] = useState("");
  const [password, setPassword] = useState("");
  const [error, setError] = useState("");
  async function confirm() {
    setError("");
    try {
      await got(api.POST("/api/session/npi", { body: { npi: npi.trim(), password } }));
      setNpi("");
      await client.invalidateQueries({ queryKey: ["own-npi"] });
    } catch (e) {
      setError(say(e));
    }
    setPassword("");
  }
  return (
    <Form act={confirm} className="mb-8 max-w-[420px]">
      <h2 className="mb-2 text-title">National Provider Identifier</h2>
      <p className="small mb-3">
        {own.data?.npi ? (
          <>
            Your orders go out under <span className="font-mono">{own.data.npi}</span>.
          </>
        ) : (
          "Your orders go out under our own number of you until you confirm yours. No registry is asked: its check digit and your password stand for that here."
        )}
      </p>
      <label className="label mb-3 block">
        NPI, ten digits
        <input
          inputMode="numeric"
          className="field font-mono text-ink"
          maxLength={10}
          value={npi}
          onChange={(e) => setNpi(e.target.value)}
        />
      </label>
      <label className="label mb-3 block">
        Password
        <input
          type="password"
          autoComplete="current-password"
          className="field text-ink"
          value={password}
          onChange={(e) => setPassword(e.target.value)}
        />
      </label>
      <button type="submit" className="choice" disabled={npi === "" || password === ""}>
        Confirm it
      </button>
      <Wrong says={error} className="min-h-[21px] text-aside" />
    </Form>
  );
}
