// The service itself: who is here, what it keeps, what it does now.

import { infiniteQueryOptions, queryOptions } from "@tanstack/react-query";
import { api, take } from "../client";

export const session = queryOptions({
  queryKey: ["session"],
  queryFn: async () => take(await api.GET("/api/v1/session")),
  retry: false,
  staleTime: 60_000,
});

export const waysIn = queryOptions({
  queryKey: ["ways-in"],
  queryFn: async () => take(await api.GET("/api/v1/sign-in")),
  staleTime: Number.POSITIVE_INFINITY,
});

export const found = (text: string) =>
  queryOptions({
    queryKey: ["found", text],
    queryFn: async () => take(await api.GET("/api/v1/find", { params: { query: { text } } })),
    staleTime: 5_000,
  });

/** Work that waits or runs; asked for more often while there is some. */
export const unfinished = queryOptions({
  queryKey: ["unfinished"],
  queryFn: async () => take(await api.GET("/api/v1/work", { params: { query: { open: true, limit: 20 } } })),
  refetchInterval: (q) => (q.state.data?.items.length ? 1_500 : 6_000),
});

export const people = queryOptions({
  queryKey: ["service", "people"],
  queryFn: async () => take(await api.GET("/api/v1/people")),
});

export const tokens = queryOptions({
  queryKey: ["service", "tokens"],
  queryFn: async () => take(await api.GET("/api/v1/tokens")),
});

export const sessions = queryOptions({
  queryKey: ["service", "sessions"],
  queryFn: async () => take(await api.GET("/api/v1/sessions")),
});

export const kept = (days: number) =>
  queryOptions({
    queryKey: ["service", "kept", days],
    queryFn: async () => take(await api.GET("/api/v1/kept", { params: { query: { days } } })),
  });

export const audit = (which: { who?: string; result?: "done" | "refused" }) =>
  infiniteQueryOptions({
    queryKey: ["service", "audit", which],
    queryFn: async ({ pageParam }) =>
      take(
        await api.GET("/api/v1/audit", {
          params: { query: { ...which, before: pageParam ? Number(pageParam) : undefined, limit: 50 } },
        }),
      ),
    initialPageParam: "",
    getNextPageParam: (page) => page.next || undefined,
  });

export const connections = queryOptions({
  queryKey: ["connections"],
  queryFn: async () => take(await api.GET("/api/v1/connections")),
});
