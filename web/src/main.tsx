import "@fontsource-variable/inter";
import "@fontsource-variable/jetbrains-mono";
import "./theme.css";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { lazy, type ReactNode, StrictMode, Suspense } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter, Route, Routes } from "react-router";
import { Problem } from "./api/client";
import { Cluster } from "./pages/Cluster";
import { Compare } from "./pages/Compare";
import { Demand } from "./pages/Demand";
import { Desk } from "./pages/Desk";
import { Learn } from "./pages/Learn";
import { Live } from "./pages/Live";
import { Nowhere } from "./pages/Nowhere";
import { Outcome } from "./pages/Outcome";
import { Shell } from "./pages/Shell";
import { Templates } from "./pages/Templates";
import { Welcome } from "./pages/Welcome";
import { Waiting } from "./parts/Section";

// The editor is large, and only these pages have it.
const Template = lazy(() => import("./pages/template/Template"));
const First = lazy(() => import("./pages/template/First"));
const Scenario = lazy(() => import("./pages/Scenario").then((m) => ({ default: m.Scenario })));
const NewScenario = lazy(() => import("./pages/scenario/New").then((m) => ({ default: m.New })));
const Start = lazy(() => import("./pages/Start").then((m) => ({ default: m.Start })));
// Charts are large too.
const Caching = lazy(() => import("./pages/Caching").then((m) => ({ default: m.Caching })));
const Frontier = lazy(() => import("./pages/Frontier").then((m) => ({ default: m.Frontier })));

const Service = lazy(() => import("./pages/Service").then((m) => ({ default: m.Service })));
const Forecast = lazy(() => import("./pages/Forecast").then((m) => ({ default: m.Forecast })));
const Backtest = lazy(() => import("./pages/Backtest").then((m) => ({ default: m.Backtest })));

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      refetchOnWindowFocus: false,
      retry: (times, error) => !(error instanceof Problem && error.status < 500) && times < 3,
    },
  },
});

const later = (page: ReactNode) => <Suspense fallback={<Waiting what="the page" />}>{page}</Suspense>;

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <BrowserRouter>
          <Routes>
            <Route path="/welcome" element={<Welcome />} />
            <Route element={<Shell />}>
              <Route index element={<Desk />} />
              <Route path="/start" element={later(<Start />)} />
              <Route path="/new" element={later(<NewScenario />)} />
              <Route path="/scenarios/:name" element={later(<Scenario />)} />
              <Route path="/outcomes/:id" element={<Outcome />} />
              <Route path="/compare" element={<Compare />} />
              <Route path="/caching/:scenario?" element={later(<Caching />)} />
              <Route path="/frontier/:scenario?" element={later(<Frontier />)} />
              <Route path="/live" element={<Live />} />
              <Route path="/ahead/:scenario?" element={later(<Forecast />)} />
              <Route path="/backtest/:scenario?" element={later(<Backtest />)} />
              <Route path="/workloads/:name" element={<Demand />} />
              <Route path="/clusters/:name" element={<Cluster />} />
              <Route path="/service" element={later(<Service />)} />
              <Route path="/learn" element={<Learn />} />
              <Route path="/templates" element={<Templates />} />
              <Route path="/templates/new" element={later(<First />)} />
              <Route path="/templates/:name" element={later(<Template />)} />
              <Route path="*" element={<Nowhere />} />
            </Route>
          </Routes>
        </BrowserRouter>
      </QueryClientProvider>
    </StrictMode>,
  );
}
