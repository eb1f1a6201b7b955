import { queryOptions } from "@tanstack/react-query";
import { api, take } from "./client";

export const session = queryOptions({
  queryKey: ["session"],
  queryFn: async () => take(await api.GET("/api/v1/session")),
  retry: false,
  staleTime: 60_000,
});

export const scenarios = queryOptions({
  queryKey: ["scenarios"],
  queryFn: async () => take(await api.GET("/api/v1/scenarios")),
});

export const scenario = (name: string) =>
  queryOptions({
    queryKey: ["scenarios", name],
    queryFn: async () => take(await api.GET("/api/v1/scenarios/{name}", { params: { path: { name } } })),
  });

export const outcomes = (scenario?: string) =>
  queryOptions({
    queryKey: ["outcomes", { scenario }],
    queryFn: async () =>
      take(await api.GET("/api/v1/outcomes", { params: { query: { scenario, limit: 30 } } })),
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

export const jobs = (id: number, cursor: number, limit: number) =>
  queryOptions({
    queryKey: ["outcomes", id, "jobs", { cursor, limit }],
    queryFn: async () =>
      take(
        await api.GET("/api/v1/outcomes/{id}/jobs", { params: { path: { id }, query: { cursor, limit } } }),
      ),
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: (before) => before,
    retry: false,
  });
