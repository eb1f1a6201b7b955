// What happens: live records, agents, scenarios that are followed.

import { queryOptions } from "@tanstack/react-query";
import { api, type Schemas, take } from "../client";

/** Scenarios that are followed, and how they stand. */
export const followed = queryOptions({
  queryKey: ["followed"],
  queryFn: async () => take(await api.GET("/api/v1/drift")),
  refetchInterval: 60_000,
});

/** How a followed scenario stands, day by day; null where it is not followed. */
export const followedDays = (scenario: string) =>
  queryOptions({
    queryKey: ["followed", scenario],
    queryFn: async () => {
      const answer = await api.GET("/api/v1/drift/{scenario}", { params: { path: { scenario } } });
      return answer.response.status === 404 ? null : take(answer);
    },
    refetchInterval: (q) => (q.state.data && q.state.data.days.length === 0 ? 3000 : 60_000),
  });

/** How often what happens is asked for anew, ms. */
const beat = 5000;

/** How much is known of jobs that happened. */
export const live = queryOptions({
  queryKey: ["live"],
  queryFn: async () => take(await api.GET("/api/v1/live")),
  refetchInterval: (q) => (q.state.data?.runs ? 6 * beat : beat), // many are counted row by row
});

/** The newest of them, in one state or in any. */
export const liveJobs = (state: Schemas["LiveJob"]["state"] | "") =>
  queryOptions({
    queryKey: ["live", "jobs", state],
    queryFn: async () =>
      take(
        await api.GET("/api/v1/live/jobs", { params: { query: { state: state || undefined, limit: 25 } } }),
      ),
    refetchInterval: beat,
    placeholderData: (before) => before,
  });

/** Agents in a namespace of the cluster, as they stand now. */
export const agents = (namespace: string) =>
  queryOptions({
    queryKey: ["live", "agents", namespace],
    queryFn: async () => take(await api.GET("/api/v1/live/agents", { params: { query: { namespace } } })),
    refetchInterval: 2000,
    enabled: namespace !== "",
    retry: false,
  });
