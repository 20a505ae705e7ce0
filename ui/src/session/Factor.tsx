import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { asks } from "../exchange/asks";
import { api, got, type Schemas, say } from "../exchange/client";
import { Form } from "../kit/Form";
import { Wrong } from "../kit/Wrong";

/** Factor sets up, and takes away, the own second factor: codes by the clock, asked for at the sign-in and for each
 * controlled substance that is sent. */
export function Factor() {
  const client = useQueryClient();
  const factor = useQuery(asks.factor());
  const [password, setPassword] = useState("");
  const [code, setCode] = useState("");
  const [begun, setBegun] = useState<Schemas["FactorView"] | null>(null);
  const [error, setError] = useState("");
  const has = factor.data?.has ?? false;
  async function run(f: () => Promise<unknown>) {
    setError("");
    try {
      await f();
      await client.invalidateQueries({ queryKey: ["factor"] });
    } catch (e) {
      setError(say(e));
    }
    setPassword("");
    setCode("");
  }
  const field = (word: string, type: "password" | "text", value: string, set: (v: string) => void) => (
    <label className="label mb-3 block">
      {word}
      <input
        type={type}
        autoComplete={type === "password" ? "current-password" : "one-time-code"}
        inputMode={type === "text" ? "numeric" : undefined}
        className="field text-ink"
        value={value}
        onChange={(e) => set(e.target.value)}
      />
    </label>
  );
  return (
    <section aria-labelledby="factor" className="mb-8 max-w-[420px]">
      <h2 id="factor" className="mb-2 text-title">
        Second factor
      </h2>
      <p className="small mb-3">
        A code that an app on your telephone shows, new every half minute. It is asked for when you sign in, and for each
        controlled substance that you send.
      </p>
      {has ? (
        <Form act={() => run(() => got(api.POST("/api/session/factor/drop", { body: { password, code } })))}>
          <p className="mb-2">It is set up.</p>
          {field("Password", "password", password, setPassword)}
          {field("Code", "text", code, setCode)}
          <button type="submit" className="choice">
            Take it away
          </button>
        </Form>
      ) : begun ? (
        <Form
          act={() =>
            run(async () => {
              await got(api.POST("/api/session/factor/confirm", { body: { code } }));
              setBegun(null);
            })
          }
        >
          <img alt="The secret as a QR code" width={220} height={220} src={`data:image/png;base64,${begun.picture}`} />
          <p className="mt-1 mb-3">
            Or type it into the app: <span className="font-mono break-all">{begun.secret}</span>
          </p>
          {field("Code that the app shows", "text", code, setCode)}
          <button type="submit" className="act">
            Confirm
          </button>
        </Form>
      ) : (
        <Form act={() => run(async () => setBegun(await got(api.POST("/api/session/factor", { body: { password } }))))}>
          {field("Password", "password", password, setPassword)}
          <button type="submit" className="choice" disabled={password === ""}>
            Set it up
          </button>
        </Form>
      )}
      <Wrong says={error} className="min-h-[21px] text-aside" />
    </section>
  );
}
