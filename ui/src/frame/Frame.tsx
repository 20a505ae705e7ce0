import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { NavLink, Outlet, useLocation, useNavigate } from "react-router";
import { Closed } from "../circle/Closed";
import { useDeskCount } from "../desk/useDeskCount";
import { api, got, useReachable } from "../exchange/client";
import { gathered, useGathered } from "../printing/gathered";
import { CriticalBar } from "../result/Critical";
import { useMe, useRight } from "../session/me";
import { tellTabs } from "../session/tabs";
import { useEvents } from "./events";
import { Finder } from "./Finder";
import { Help } from "./Help";
import { rest, useKeyboard, useKeys } from "./keys";
import { Lead } from "./Lead";
import { Mark } from "./Mark";
import { recentCharts, useRecent } from "./recent";

/** Frame is what stands around every screen: the bar with the open charts. */
export function Frame() {
  useKeyboard();
  useEvents();
  const me = useMe();
  const client = useQueryClient();
  const go = useNavigate();
  const place = useLocation();
  const [finding, setFinding] = useState(false);
  const [helping, setHelping] = useState(false);
  const find = () => {
    rest();
    setFinding(true);
  };
  const help = () => {
    rest();
    setHelping(true);
  };
  const lines = useDeskCount();
  const results = useRight("see results");
  const orders = useRight("see the orders of the practice");
  const draws = useRight("see what is to be drawn and what the courier takes");
  const connects = useRight("set up connections");
  const takes = useRight("take a message down");
  const writes = useRight("see whom the practice writes to");
  const rules = useRight("settle a reminder");
  const setsRules = useRight("switch rules on and off, and take new ones in");
  const practice = useRight("see lists over the whole practice");
  const reachable = useReachable();
  const day = useRight("see the day's visits");
  const audit = useRight("read the audit");
  const forms = useRight("see the forms");
  const open = useRecent();
  useKeys([
    { key: "/", label: "Find a patient, screen or action", run: find },
    { key: "?", label: "Show the keys of this screen", run: help },
    ...(day ? [{ key: "t", label: "Today", run: () => go("/") }] : []),
    ...(orders ? [{ key: "Alt+w", label: "Orders of the practice: late, under way, all", run: () => go("/orders") }] : []),
    ...(draws ? [{ key: "Alt+x", label: "Specimens to be drawn, and for the courier", run: () => go("/specimens") }] : []),
    ...(takes ? [{ key: "Alt+m", label: "Take a message by telephone down", run: () => go("/message") }] : []),
    ...(writes ? [{ key: "Alt+j", label: "Directory: whom we write to", run: () => go("/directory") }] : []),
    ...(rules || setsRules ? [{ key: "Alt+q", label: "Rulebook of the reminders", run: () => go("/rulebook") }] : []),
    ...(practice ? [{ key: "Alt+y", label: "Who is due, over the whole practice", run: () => go("/practice") }] : []),
    ...(results ? [{ key: "k", label: "Desk", run: () => go("/desk") }] : []),
    ...(forms ? [{ key: "Alt+f", label: "Forms of the clinic, and my snippets", run: () => go("/forms") }] : []),
    { key: "Alt+l", label: "Lock the screen", run: lock },
  ]);
  useEffect(() => {
    if (audit && !day && place.pathname === "/") go("/audit");
  }, [audit, day, place.pathname, go]);
  function lock() {
    void got(api.POST("/api/session/lock")).then(() => {
      tellTabs("changed");
      return client.invalidateQueries({ queryKey: ["me"] });
    });
  }
  const toPrint = useGathered().length;
  async function leave() {
    await api.DELETE("/api/session");
    tellTabs("changed");
    recentCharts.clear();
    gathered.clear();
    await client.resetQueries();
  }
  const tab = ({ isActive }: { isActive: boolean }) =>
    `flex h-[42px] items-center gap-1.5 border-x border-t-[3px] px-3.5 whitespace-nowrap ${isActive ? "border-x-rule border-t-kelp bg-leaf font-semibold text-ink" : "border-transparent text-faded hover:text-ink"}`;
  return (
    <div className="relative flex h-dvh flex-col overflow-clip">
      <a href="#page" className="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:bg-leaf focus:p-2">
        Skip to the page
      </a>
      <header className="flex h-[42px] shrink-0 items-stretch border-b border-rule bg-paper max-phone:h-auto max-phone:flex-wrap">
        <div className="flex w-[232px] shrink-0 items-center gap-2.5 pl-3.5 max-phone:w-auto max-phone:pr-3">
          <Mark />
          <span className="font-serif text-title font-semibold">Deft Ledger</span>
        </div>
        <nav aria-label="Screens" className="-mb-px flex min-w-0 flex-1 items-stretch overflow-x-auto">
          {day && (
            <NavLink to="/" end className={tab}>
              Today
            </NavLink>
          )}
          {results && (
            <NavLink to="/desk" className={tab}>
              Desk <span className="min-w-4 font-semibold text-kelp">{lines}</span>
            </NavLink>
          )}
          {orders && (
            <NavLink to="/orders" className={tab}>
              Orders
            </NavLink>
          )}
          {draws && (
            <NavLink to="/specimens" className={tab}>
              Specimens
            </NavLink>
          )}
          {forms && (audit || place.pathname === "/forms") && (
            <NavLink to="/forms" className={tab}>
              Forms
            </NavLink>
          )}
          {((setsRules && audit) || place.pathname === "/rulebook") && (
            <NavLink to="/rulebook" className={tab}>
              Rulebook
            </NavLink>
          )}
          {practice && (audit || place.pathname === "/practice") && (
            <NavLink to="/practice" className={tab}>
              Who is due
            </NavLink>
          )}
          {audit && (
            <NavLink to="/audit" className={tab}>
              Audit
            </NavLink>
          )}
          {connects && (
            <NavLink to="/connections" className={tab}>
              Connections
            </NavLink>
          )}
          {(audit || place.pathname === "/circle") && (
            <NavLink to="/circle" className={tab}>
              Who sees what
            </NavLink>
          )}
          {results && (toPrint > 0 || place.pathname === "/printing") && (
            <NavLink to="/printing" className={tab}>
              To print {toPrint > 0 && <span className="min-w-4 font-semibold text-kelp">{toPrint}</span>}
            </NavLink>
          )}
          {open.map((p) => (
            <NavLink key={p.id} to={p.to} className={() => tab({ isActive: place.pathname.startsWith(`/patients/${p.id}`) })}>
              {p.name}
            </NavLink>
          ))}
        </nav>
        <div className="flex items-center gap-4 pr-3.5 pl-3">
          <button
            type="button"
            onClick={find}
            className="flex w-[200px] items-center justify-between border-b border-edge py-1 pl-1 text-left text-faded max-half:w-auto"
          >
            <span className="max-half:sr-only">Find anything</span>
            <span className="key" aria-hidden="true">
              /
            </span>
          </button>
          <details className="relative" name="person" key={place.pathname}>
            <summary className="cursor-pointer list-none py-1 text-faded">{`${me.name.charAt(0)}. ${me.name.split(" ").slice(1).join(" ")}`}</summary>
            <div className="absolute right-0 z-30 mt-1 w-56 border border-rule bg-leaf p-3">
              <p className="font-semibold">{me.name}</p>
              <p className="small mb-2">{me.role}</p>
              <button type="button" className="plain block" onClick={lock}>
                Lock the screen <span className="key">Alt L</span>
              </button>
              {forms && (
                <button type="button" className="plain block" onClick={() => go("/forms")}>
                  Forms and snippets <span className="key">Alt F</span>
                </button>
              )}
              <button type="button" className="plain block" onClick={() => go("/called")}>
                A critical value by telephone
              </button>
              {results && (
                <button type="button" className="plain block" onClick={() => go("/standing")}>
                  Results that a nurse may sign
                </button>
              )}
              {practice && (
                <button type="button" className="plain block" onClick={() => go("/holdings")}>
                  Who has what
                </button>
              )}
              {practice && (
                <button type="button" className="plain block" onClick={() => go("/loop")}>
                  How results came home
                </button>
              )}
              {results && (
                <button type="button" className="plain block" onClick={() => go("/printing")}>
                  Results on paper
                </button>
              )}
              <button type="button" className="plain block" onClick={() => go("/circle")}>
                Who sees whose chart
              </button>
              <button type="button" className="plain block" onClick={() => go("/account")}>
                My password and sign-ins
              </button>
              <button type="button" className="plain block" onClick={help}>
                Keys <span className="key">?</span>
              </button>
              <button type="button" className="plain block" onClick={leave}>
                Sign out
              </button>
            </div>
          </details>
        </div>
      </header>
      <CriticalBar />
      <div role="status">
        {!reachable && (
          <p className="bg-carried px-4 py-1 text-aside text-leaf">
            The server does not answer. What you type is kept in this browser, encrypted, and sent when it is back.
          </p>
        )}
      </div>
      <Lead />
      <Outlet />
      <Closed />
      {finding && <Finder close={() => setFinding(false)} lock={lock} help={help} />}
      {helping && <Help close={() => setHelping(false)} />}
    </div>
  );
}
