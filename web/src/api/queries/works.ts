// Other long work: weighings, explorations, backtests and the like.

import { queryOptions } from "@tanstack/react-query";
import { api, take, type Work } from "../client";

/** The newest work of a kind on a scenario, on all when it is empty. */
const worksOf = (key: string, kind: Work["kind"], limit: number) => (scenario: string) =>
  queryOptions({
    queryKey: [key, { scenario }],
    queryFn: async () =>
      take(
        await api.GET("/api/v1/work", {
          params: { query: { kind: [kind], about: scenario || undefined, limit } },
        }),
      ),
  });

export const weighings = worksOf("weighings", "weighing", 20);
export const explorations = worksOf("explorations", "exploration", 20);
export const doubts = worksOf("doubts", "doubt", 100);
export const margins = worksOf("margins", "margin", 100);
export const backtests = worksOf("backtests", "backtest", 20);
export const forecasts = worksOf("forecasts", "forecast", 20);
export const pullings = worksOf("pulls", "pulls", 100);

export const weighing = (id: number) =>
  queryOptions({
    queryKey: ["weighings", id],
    queryFn: async () => take(await api.GET("/api/v1/weighings/{id}", { params: { path: { id } } })),
    staleTime: Number.POSITIVE_INFINITY,
    enabled: id > 0,
  });

/** What a scenario or an outcome hangs on. */
export const doubt = (id: number) =>
  queryOptions({
    queryKey: ["doubts", id],
    queryFn: async () => take(await api.GET("/api/v1/doubts/{id}", { params: { path: { id } } })),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const pulls = (id: number) =>
  queryOptions({
    queryKey: ["pulls", id],
    queryFn: async () => take(await api.GET("/api/v1/pulls/{id}", { params: { path: { id } } })),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const exploration = (id: number) =>
  queryOptions({
    queryKey: ["explorations", id],
    queryFn: async () => take(await api.GET("/api/v1/explorations/{id}", { params: { path: { id } } })),
    staleTime: Number.POSITIVE_INFINITY,
  });

/** What makes a variant of its scenario. */
export const variant = (id: number, n: number) =>
  queryOptions({
    queryKey: ["explorations", id, "variants", n],
    queryFn: async () =>
      take(
        await api.GET("/api/v1/explorations/{id}/variants/{variant}", {
          params: { path: { id, variant: n } },
        }),
      ),
    staleTime: Number.POSITIVE_INFINITY,
  });

/** How far a scenario bears what may grow. */
export const margin = (id: number) =>
  queryOptions({
    queryKey: ["margins", id],
    queryFn: async () => take(await api.GET("/api/v1/margins/{id}", { params: { path: { id } } })),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const backtest = (id: number) =>
  queryOptions({
    queryKey: ["backtests", id],
    queryFn: async () => take(await api.GET("/api/v1/backtests/{id}", { params: { path: { id } } })),
    staleTime: Number.POSITIVE_INFINITY,
    enabled: id > 0,
  });

export const forecast = (id: number) =>
  queryOptions({
    queryKey: ["forecasts", id],
    queryFn: async () => take(await api.GET("/api/v1/forecasts/{id}", { params: { path: { id } } })),
    staleTime: Number.POSITIVE_INFINITY,
    enabled: id > 0,
  });
