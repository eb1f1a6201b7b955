// Outcomes, their jobs and their numbers.

import { queryOptions } from "@tanstack/react-query";
import { api, take } from "../client";
import type { paths } from "../schema.gen";

export const outcomes = (scenario?: string) =>
  queryOptions({
    queryKey: ["outcomes", { scenario }],
    queryFn: async () =>
      take(
        await api.GET("/api/v1/work", {
          params: { query: { kind: ["simulation"], about: scenario, limit: 30 } },
        }),
      ),
  });

export const outcome = (id: number) =>
  queryOptions({
    queryKey: ["outcomes", id],
    queryFn: async () => take(await api.GET("/api/v1/outcomes/{id}", { params: { path: { id } } })),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const explanation = (id: number, job: string) =>
  queryOptions({
    queryKey: ["outcomes", id, "jobs", job],
    queryFn: async () =>
      take(await api.GET("/api/v1/outcomes/{id}/jobs/{job}", { params: { path: { id, job } } })),
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });

export const comparison = (ids: number[]) =>
  queryOptions({
    queryKey: ["compare", ids],
    queryFn: async () => take(await api.GET("/api/v1/compare", { params: { query: { ids } } })),
    staleTime: Number.POSITIVE_INFINITY,
    enabled: ids.length > 1,
    retry: false,
  });

export type JobsAsked = NonNullable<paths["/api/v1/outcomes/{id}/jobs"]["get"]["parameters"]["query"]>;

/** A page of an outcome's jobs: of those that are meant, in an order. */
export const jobs = (id: number, query: JobsAsked) =>
  queryOptions({
    queryKey: ["outcomes", id, "jobs", query],
    queryFn: async () =>
      take(await api.GET("/api/v1/outcomes/{id}/jobs", { params: { path: { id }, query } })),
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: (before) => before,
    retry: false,
  });

/** Why a number of an outcome or of other work is what it is; `against` is another outcome. */
export const why = (
  kind: "outcomes" | "explorations" | "backtests" | "forecasts" | "weighings",
  id: number,
  of: string,
  against?: number,
) =>
  queryOptions({
    queryKey: [kind, id, "why", of, against],
    queryFn: async () =>
      take(
        against === undefined
          ? await api.GET(`/api/v1/${kind}/{id}/why`, { params: { path: { id }, query: { of } } })
          : await api.GET("/api/v1/outcomes/{id}/why", { params: { path: { id }, query: { of, against } } }),
      ),
    retry: false,
  });

/** What became of some jobs of an outcome. */
export const part = (id: number, query: { from?: string; to?: string }) =>
  queryOptions({
    queryKey: ["outcomes", id, "part", query],
    queryFn: async () =>
      take(await api.GET("/api/v1/outcomes/{id}/part", { params: { path: { id }, query } })),
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: (before) => before,
    retry: false,
  });
