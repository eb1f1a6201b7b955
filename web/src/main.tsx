import "@fontsource-variable/inter";
import "@fontsource-variable/jetbrains-mono";
import "./theme.css";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { lazy, type ReactNode, StrictMode, Suspense } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter, Route, Routes } from "react-router";
import { Problem } from "./api/client";
import { Desk } from "./pages/Desk";
import { Nowhere } from "./pages/Nowhere";
import { Shell } from "./pages/Shell";
import { Welcome } from "./pages/Welcome";
import { Waiting } from "./parts/Section";

// Who opens one page fetches that page; the editor and charts are large, and only some have them.
const Cluster = lazy(() => import("./pages/Cluster").then((m) => ({ default: m.Cluster })));
const Compare = lazy(() => import("./pages/Compare").then((m) => ({ default: m.Compare })));
const Demand = lazy(() => import("./pages/Demand").then((m) => ({ default: m.Demand })));
const Learn = lazy(() => import("./pages/Learn").then((m) => ({ default: m.Learn })));
const Live = lazy(() => import("./pages/Live").then((m) => ({ default: m.Live })));
const Outcome = lazy(() => import("./pages/Outcome").then((m) => ({ default: m.Outcome })));
const Templates = lazy(() => import("./pages/Templates").then((m) => ({ default: m.Templates })));
const Template = lazy(() => import("./pages/template/Template"));
const First = lazy(() => import("./pages/template/First"));
const Scenario = lazy(() => import("./pages/Scenario").then((m) => ({ default: m.Scenario })));
const NewScenario = lazy(() => import("./pages/scenario/New").then((m) => ({ default: m.New })));
const Start = lazy(() => import("./pages/Start").then((m) => ({ default: m.Start })));
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
              <Route path="/outcomes/:id" element={later(<Outcome />)} />
              <Route path="/compare" element={later(<Compare />)} />
              <Route path="/caching/:scenario?" element={later(<Caching />)} />
              <Route path="/frontier/:scenario?" element={later(<Frontier />)} />
              <Route path="/live" element={later(<Live />)} />
              <Route path="/ahead/:scenario?" element={later(<Forecast />)} />
              <Route path="/backtest/:scenario?" element={later(<Backtest />)} />
              <Route path="/workloads/:name" element={later(<Demand />)} />
              <Route path="/clusters/:name" element={later(<Cluster />)} />
              <Route path="/service" element={later(<Service />)} />
              <Route path="/learn" element={later(<Learn />)} />
              <Route path="/templates" element={later(<Templates />)} />
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
