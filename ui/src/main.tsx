import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { lazy, StrictMode, Suspense } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter, Route, Routes } from "react-router";
import "./app.css";
import { Audit } from "./audit/Audit";
import { Chart } from "./chart/Chart";
import { Circle } from "./circle/Circle";
import { Connections } from "./connection/Connections";
import { Today } from "./day/Today";
import { Desk } from "./desk/Desk";
import { Holdings } from "./desk/Holdings";
import { Problem } from "./exchange/client";
import { Broken } from "./frame/Broken";
import { Frame } from "./frame/Frame";
import { History } from "./order/History";
import { Specimens } from "./order/Specimens";
import { TakeMessage } from "./prescribe/TakeMessage";
import { Printing } from "./printing/Printing";
import { HandIn } from "./record/HandIn";
import { Directory } from "./referral/Directory";
import { Practice } from "./reminder/Practice";
import { Round } from "./reminder/Round";
import { Rulebook } from "./reminder/Rulebook";
import { Across } from "./result/Across";
import { Loop } from "./result/Loop";
import { Standing } from "./result/Standing";
import { TakeCall } from "./result/TakeCall";
import { Account } from "./session/Account";
import { Session } from "./session/session";
import { Sharing } from "./sharing/Sharing";

const Registration = lazy(() => import("./registration/Registration").then((m) => ({ default: m.Registration })));
const Visit = lazy(() => import("./note/Visit"));
const Intake = lazy(() => import("./intake/Intake"));
const Forms = lazy(() => import("./forms/Forms"));

const client = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 60_000,
      refetchOnWindowFocus: false,
      retry: (n, e) => !(e instanceof Problem) && n < 20,
      retryDelay: 1000,
    },
  },
});

createRoot(document.getElementById("root") as HTMLElement).render(
  <StrictMode>
    <Broken>
      <QueryClientProvider client={client}>
        <Session>
          <BrowserRouter>
            <Routes>
              <Route element={<Frame />}>
                <Route index element={<Today />} />
                <Route path="account" element={<Account />} />
                <Route path="specimens" element={<Specimens />} />
                <Route path="orders" element={<History />} />
                <Route path="directory" element={<Directory />} />
                <Route path="message" element={<TakeMessage />} />
                <Route path="rulebook" element={<Rulebook />} />
                <Route path="practice" element={<Practice />} />
                <Route path="connections" element={<Connections />} />
                <Route path="patients/:id/orders" element={<History />} />
                <Route path="desk" element={<Desk />} />
                <Route path="desk/:kind/:id" element={<Desk />} />
                {["patients/new", "patients/:id/registration"].map((path) => (
                  <Route
                    key={path}
                    path={path}
                    element={
                      <Suspense fallback={<p className="p-8 small">Opening the registration…</p>}>
                        <Registration />
                      </Suspense>
                    }
                  />
                ))}
                <Route path="called" element={<TakeCall />} />
                <Route path="standing" element={<Standing />} />
                <Route path="holdings" element={<Holdings />} />
                <Route path="loop" element={<Loop />} />
                <Route path="printing" element={<Printing />} />
                <Route path="patients/:id/records" element={<HandIn />} />
                <Route path="patients/:id/sharing" element={<Sharing />} />
                <Route path="patients/:id/results" element={<Across />} />
                <Route path="patients/:id/round" element={<Round />} />
                <Route path="patients/:id" element={<Chart />} />
                <Route
                  path="patients/:id/visits/:visit"
                  element={
                    <Suspense fallback={<p className="p-8 small">Opening the note…</p>}>
                      <Visit />
                    </Suspense>
                  }
                />
                <Route
                  path="visits/:visit/intake"
                  element={
                    <Suspense fallback={<p className="p-8 small">Opening the intake…</p>}>
                      <Intake />
                    </Suspense>
                  }
                />
                <Route
                  path="forms"
                  element={
                    <Suspense fallback={<p className="p-8 small">Opening the forms…</p>}>
                      <Forms />
                    </Suspense>
                  }
                />
                <Route path="audit" element={<Audit />} />
                <Route path="circle" element={<Circle />} />
                <Route
                  path="*"
                  element={<p className="p-8">There is nothing at this address. Press / to find what you need.</p>}
                />
              </Route>
            </Routes>
          </BrowserRouter>
        </Session>
      </QueryClientProvider>
    </Broken>
  </StrictMode>,
);
