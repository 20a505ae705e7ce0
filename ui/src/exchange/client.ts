// The one way to the server. Types come from the API description.
import createClient, { type Middleware } from "openapi-fetch";
import { useSyncExternalStore } from "react";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];

/** How this window names itself, so that it knows its own acts among the events. */
export const thisWindow = crypto.randomUUID();

// A writing request has an identifier of its own, under which the server does it once: where
// no answer comes it is asked again under the same one, and only then given up.
const pauses = [300, 1200];
async function once(request: Request): Promise<Response> {
  if (request.method === "GET") return fetch(request);
  if (!request.headers.has("Idempotency-Key")) request.headers.set("Idempotency-Key", crypto.randomUUID());
  for (const pause of pauses) {
    try {
      return await fetch(request.clone());
    } catch (e) {
      if (request.signal.aborted || request.keepalive) throw e;
      await new Promise((go) => setTimeout(go, pause));
    }
  }
  return fetch(request);
}

export const api = createClient<paths>({ baseUrl: "/", headers: { "X-Window": thisWindow }, fetch: once });

/** Problem is an answer of the server that says what is wrong and what to do. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly kind: string,
    message: string,
    readonly of = "", // the patient whose chart is closed
  ) {
    super(message);
  }
}

/** Unreachable means that the server did not answer at all. */
export class Unreachable extends Error {}

type Answer<T> = { data?: T; error?: unknown; response: Response };

const listeners = new Set<() => void>();
let reachable = true;
function setReachable(now: boolean) {
  if (now === reachable) return;
  reachable = now;
  for (const l of listeners) l();
}

/** useReachable says whether the server answered last time. */
export function useReachable() {
  return useSyncExternalStore(
    (l) => {
      listeners.add(l);
      return () => listeners.delete(l);
    },
    () => reachable,
  );
}

const onProblem = new Set<(p: Problem) => void>();
/** watchProblems hears of every refusal, for the lock screen and the end of a session. */
export function watchProblems(f: (p: Problem) => void) {
  onProblem.add(f);
  return () => {
    onProblem.delete(f);
  };
}

const refreshing: Middleware = {
  onResponse: () => setReachable(true),
};
api.use(refreshing);

/** got waits for an answer and returns its body, or throws Problem or Unreachable. */
export async function got<T>(call: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>;
  try {
    answer = await call;
  } catch {
    setReachable(false);
    throw new Unreachable("The server does not answer. What you typed is kept in this window.");
  }
  if (answer.response.ok) return answer.data as T;
  const e = (answer.error ?? {}) as { detail?: string; type?: string; instance?: string };
  const p = new Problem(
    answer.response.status,
    (e.type ?? "").replace("deftledger:", ""),
    e.detail ?? "The server could not do that.",
    (e.instance ?? "").replace("/api/patients/", ""),
  );
  for (const f of onProblem) f(p);
  throw p;
}

/** say turns anything thrown into words for the person. */
export function say(e: unknown) {
  return e instanceof Error ? e.message : "Something went wrong. Try again.";
}
