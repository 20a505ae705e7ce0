import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useEffect, useLayoutEffect, useRef, useState } from "react";
import { createPortal } from "react-dom";
import { asks } from "../exchange/asks";
import { api, got, Problem, say, watchProblems } from "../exchange/client";
import { Mark } from "../frame/Mark";
import { Form } from "../kit/Form";
import { Wrong } from "../kit/Wrong";
import { sendKept } from "../note/write/kept";
import { type Me, SignedIn } from "./me";
import { hearTabs, tellTabs } from "./tabs";

// Who was signed in at this window before.
let lastPerson = "";

/** Session shows the sign-in, the lock or the application. */
export function Session({ children }: { children: ReactNode }) {
  const client = useQueryClient();
  const me = useQuery({
    ...asks.me(),
    retry: (n, e) => !(e instanceof Problem) && n < 50,
    retryDelay: 1000,
  });
  useEffect(
    () =>
      watchProblems((p) => {
        if (p.kind === "locked" || p.kind === "session") void client.invalidateQueries({ queryKey: ["me"] });
      }),
    [client],
  );
  useEffect(
    () =>
      hearTabs((word) => {
        if (word === "changed") void client.invalidateQueries(); // what was asked for while it was locked, too
      }),
    [client],
  );
  const person = me.data?.id ? me.data : undefined; // nobody signed in is an answer without a person
  const signedOut = me.error instanceof Problem || me.data?.id === "";
  useEffect(() => {
    if (signedOut) client.removeQueries({ predicate: (q) => q.queryKey[0] !== "me" });
  }, [signedOut, client]);
  useEffect(() => {
    if (!person || person.locked || signedOut) return;
    // Another person at this screen finds nothing of the one before: the page begins anew.
    if (lastPerson && lastPerson !== person.id) return window.location.replace("/");
    lastPerson = person.id;
    void sendKept(person);
  }, [person, signedOut]);
  // The door stays until somebody has come in: what is typed at it outlives asking again.
  const atTheDoor = useRef(false);
  if (signedOut) atTheDoor.current = true;
  else if (person) atTheDoor.current = false;
  if (atTheDoor.current) return <SignIn />;
  if (!person || (lastPerson && lastPerson !== person.id)) return <p className="p-8 small">Opening…</p>;
  return <Unlocked me={person}>{children}</Unlocked>;
}

// Unlocked keeps the last unlocked person, so that locking takes the work out of the page
// without ending it: it lives in an element of its own, which is put back on unlocking.
function Unlocked({ me, children }: { me: Me; children: ReactNode }) {
  const client = useQueryClient();
  const [shown, setShown] = useState<Me | null>(me.locked ? null : me);
  const [work] = useState(() => {
    const e = document.createElement("div");
    e.className = "contents";
    return e;
  });
  const place = useRef<HTMLDivElement>(null);
  useLayoutEffect(() => {
    // What lies over the page (a dialog) is put beside it and goes along.
    const over = document.getElementById("headlessui-portal-root");
    if (me.locked) {
      work.remove();
      over?.remove();
      return () => {
        if (over) document.body.append(over);
      };
    }
    place.current?.append(work);
  }, [me.locked, work]);
  useEffect(() => {
    if (!me.locked) setShown(me);
  }, [me]);
  useEffect(() => {
    if (me.locked) return;
    let last = Date.now();
    let told = 0;
    const used = () => {
      last = Date.now();
      if (last - told < Math.min(5000, me.idleSeconds * 250)) return;
      told = last;
      tellTabs("used");
    };
    const deaf = hearTabs((word) => {
      if (word === "used") last = Date.now(); // an idle tab does not lock one that is in use
    });
    const timer = setInterval(() => {
      if (Date.now() - last < me.idleSeconds * 1000) return;
      void api.POST("/api/session/lock").then(() => {
        tellTabs("changed");
        return client.invalidateQueries({ queryKey: ["me"] });
      });
    }, 1000);
    const kinds = ["keydown", "pointerdown", "pointermove"] as const;
    for (const k of kinds) window.addEventListener(k, used, { passive: true });
    return () => {
      clearInterval(timer);
      deaf();
      for (const k of kinds) window.removeEventListener(k, used);
    };
  }, [me.locked, me.idleSeconds, client]);
  const person = me.locked ? shown : me;
  return (
    <>
      <div ref={place} className="contents" />
      {person && createPortal(<SignedIn value={person}>{children}</SignedIn>, work)}
      {me.locked && <Lock name={me.name} />}
    </>
  );
}

function Door({
  title,
  children,
  onSubmit,
  error,
}: {
  title: string;
  children: ReactNode;
  onSubmit: () => Promise<void>;
  error: string;
}) {
  const [busy, setBusy] = useState(false);
  async function submit() {
    setBusy(true);
    await onSubmit();
    setBusy(false);
  }
  return (
    <main className="fixed inset-0 z-50 grid place-items-center overflow-auto bg-paper p-4">
      <Form
        act={submit}
        className="w-full max-w-[340px] border-l-[14px] border-kelp bg-leaf px-8 py-9 shadow-[0_0_0_1px_var(--color-rule)]"
      >
        <div className="mb-6 flex items-center gap-2.5">
          <Mark />
          <span className="font-serif text-title-l font-semibold">Deft Ledger</span>
        </div>
        <h1 className="mb-4 text-title">{title}</h1>
        {children}
        <Wrong says={error} className="mt-3 min-h-[21px] text-aside" />
        <button type="submit" disabled={busy} className="act mt-2">
          {title}
          <span className="key">Enter</span>
        </button>
      </Form>
    </main>
  );
}

function SignIn() {
  const client = useQueryClient();
  const [login, setLogin] = useState("");
  const [password, setPassword] = useState("");
  const [code, setCode] = useState("");
  const [asked, setAsked] = useState(false); // the second factor, of who has one
  const [error, setError] = useState("");
  return (
    <Door
      title="Sign in"
      error={error}
      onSubmit={async () => {
        try {
          await got(api.POST("/api/session", { body: { login, password, code: code.trim() || undefined } }));
          tellTabs("changed");
          sessionStorage.clear(); // what waits is announced at each sign-in
          setError("");
          await client.resetQueries();
        } catch (e) {
          const factor = e instanceof Problem && e.kind === "factor";
          setError(factor && !asked ? "" : say(e));
          setAsked(factor);
          setCode("");
          if (!factor) setPassword("");
        }
      }}
    >
      <label className="label block">
        Name
        <input
          autoFocus
          autoComplete="username"
          className="field mb-4 text-ink"
          value={login}
          onChange={(e) => setLogin(e.target.value)}
        />
      </label>
      <label className="label block">
        Password
        <input
          type="password"
          autoComplete="current-password"
          className="field text-ink"
          value={password}
          onChange={(e) => setPassword(e.target.value)}
        />
      </label>
      {asked && (
        <label className="label mt-4 block">
          Code of the second factor
          <input
            autoFocus
            inputMode="numeric"
            autoComplete="one-time-code"
            className="field font-mono text-ink"
            value={code}
            onChange={(e) => setCode(e.target.value)}
          />
        </label>
      )}
    </Door>
  );
}

function Lock({ name }: { name: string }) {
  const client = useQueryClient();
  const [password, setPassword] = useState("");
  const [error, setError] = useState("");
  return (
    <Door
      title="Unlock"
      error={error}
      onSubmit={async () => {
        try {
          await got(api.POST("/api/session/unlock", { body: { password } }));
          tellTabs("changed");
          await client.invalidateQueries();
        } catch (e) {
          setError(say(e));
          setPassword("");
        }
      }}
    >
      <p className="mb-4">{name}, the screen is locked. Your work is as you left it.</p>
      <label className="label block">
        Password
        <input
          type="password"
          autoFocus
          autoComplete="current-password"
          className="field text-ink"
          value={password}
          onChange={(e) => setPassword(e.target.value)}
        />
      </label>
      <button
        type="button"
        className="plain mt-3"
        onClick={() =>
          void api.DELETE("/api/session").then(() => {
            tellTabs("changed");
            return client.resetQueries();
          })
        }
      >
        Sign in as somebody else
      </button>
    </Door>
  );
}
