import { infiniteQueryOptions, queryOptions } from "@tanstack/react-query";
import { api, type Schemas, take, type Work } from "./client";
import type { paths } from "./schema.gen";

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

/** The scenarios that were simulated last, and others: as many as are offered where one is to be chosen. */
export const scenarios = queryOptions({
  queryKey: ["scenarios"],
  queryFn: async () =>
    take(await api.GET("/api/v1/scenarios", { params: { query: { by: "outcome", down: true } } })),
});

export type ScenariosAsked = NonNullable<paths["/api/v1/scenarios"]["get"]["parameters"]["query"]>;

/** Scenarios page by page, with a text in their names, in an order. */
export const scenarioPages = (asked: ScenariosAsked) =>
  infiniteQueryOptions({
    queryKey: ["scenarios", "pages", asked],
    queryFn: async ({ pageParam }) =>
      take(
        await api.GET("/api/v1/scenarios", {
          params: { query: { ...asked, cursor: pageParam || undefined } },
        }),
      ),
    initialPageParam: "",
    getNextPageParam: (page) => page.next || undefined,
    placeholderData: (before) => before,
  });

export const scenario = (name: string) =>
  queryOptions({
    queryKey: ["scenarios", name],
    queryFn: async () => take(await api.GET("/api/v1/scenarios/{name}", { params: { path: { name } } })),
  });

/** How far the work on a scenario has come; empty: on the one that was simulated last. */
export const path = (scenario: string) =>
  queryOptions({
    queryKey: ["scenarios", "path", { scenario }],
    queryFn: async () =>
      take(await api.GET("/api/v1/path", { params: { query: { scenario: scenario || undefined } } })),
  });

/** A scenario's document as it is stored. */
export const scenarioText = (name: string) =>
  queryOptions({
    queryKey: ["scenarios", name, "text"],
    queryFn: async () => {
      const d = take(
        await api.GET("/api/v1/documents/{kind}/{name}", { params: { path: { kind: "Scenario", name } } }),
      );
      return { text: d.text ?? "", revision: d.revision };
    },
  });

/** How many pages of names are offered where one is to be chosen; others can be typed. */
const namePages = 3;

/** The names of the first documents of a kind. */
export const documentNames = (kind: Kind) =>
  queryOptions({
    queryKey: ["documents", kind],
    queryFn: async () => {
      const names: string[] = [];
      let cursor: string | undefined;
      for (let i = 0; i < namePages; i++) {
        const page = take(await api.GET("/api/v1/documents", { params: { query: { kind, cursor } } }));
        names.push(...page.items.map((d) => d.name));
        cursor = page.next;
        if (!cursor) break;
      }
      return names;
    },
  });

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

type JobsAsked = paths["/api/v1/outcomes/{id}/jobs"]["get"]["parameters"]["query"];

/** A page of an outcome's jobs: of those that are meant, in an order. */
export const jobs = (id: number, query: NonNullable<JobsAsked>) =>
  queryOptions({
    queryKey: ["outcomes", id, "jobs", query],
    queryFn: async () =>
      take(await api.GET("/api/v1/outcomes/{id}/jobs", { params: { path: { id }, query } })),
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: (before) => before,
    retry: false,
  });

/** Why a number of an outcome is what it is. */
export const why = (id: number, of: string) =>
  queryOptions({
    queryKey: ["outcomes", id, "why", of],
    queryFn: async () =>
      take(await api.GET("/api/v1/outcomes/{id}/why", { params: { path: { id }, query: { of } } })),
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

export const templates = queryOptions({
  queryKey: ["templates"],
  queryFn: async () => take(await api.GET("/api/v1/templates")),
});

export const template = (name: string) =>
  queryOptions({
    queryKey: ["templates", name],
    queryFn: async () => take(await api.GET("/api/v1/templates/{name}", { params: { path: { name } } })),
  });

export const manifests = (name: string, scenario: string) =>
  queryOptions({
    queryKey: ["templates", name, "manifests", { scenario }],
    queryFn: async () =>
      take(
        await api.GET("/api/v1/manifests", {
          params: {
            query: { templates: [name], scenario: scenario || undefined, parts: ["kit", "template", "pod"] },
          },
        }),
      ),
    retry: false,
  });

export const schema = (kind: string) =>
  queryOptions({
    queryKey: ["schemas", kind],
    queryFn: async () => take(await api.GET("/api/v1/schemas/{kind}", { params: { path: { kind } } })),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const revisions = (kind: Kind, name: string) =>
  queryOptions({
    queryKey: ["revisions", kind, name],
    queryFn: async () =>
      take(await api.GET("/api/v1/documents/{kind}/{name}/revisions", { params: { path: { kind, name } } })),
  });

export const difference = (kind: Kind, name: string, from: number, to: number) =>
  queryOptions({
    queryKey: ["revisions", kind, name, { from, to }],
    queryFn: async () =>
      take(
        await api.GET("/api/v1/documents/{kind}/{name}/diff", {
          params: { path: { kind, name }, query: { from, to } },
        }),
      ),
    enabled: from !== to,
  });

/** What sizing is asked: the query of the size operation. */
export interface SizeQuestion {
  class?: string;
  share?: number;
  sure?: number;
  halfLife?: string;
  stretch?: number;
  cluster?: string;
  pool?: string;
}

/** Names of the stored documents of a kind. */
const namesOf = (key: string, kind: "Cluster" | "Sweep" | "Workload") =>
  queryOptions({
    queryKey: [key],
    queryFn: async () => {
      const page = take(await api.GET("/api/v1/documents", { params: { query: { kind } } }));
      return page.items.map((d) => d.name);
    },
  });

export const clusters = namesOf("clusters", "Cluster");
export const sweeps = namesOf("sweeps", "Sweep");
export const workloads = namesOf("workloads", "Workload");

/** When a workload's jobs come, and its classes. */
export const demand = (name: string) =>
  queryOptions({
    queryKey: ["workloads", name, "demand"],
    queryFn: async () =>
      take(await api.GET("/api/v1/workloads/{name}/demand", { params: { path: { name } } })),
  });

/** Which template each class of a workload gets in a scenario. */
export const matches = (workload: string, scenario: string) =>
  queryOptions({
    queryKey: ["workloads", workload, "match", scenario],
    queryFn: async () => take(await api.GET("/api/v1/match", { params: { query: { workload, scenario } } })),
    enabled: scenario !== "",
    retry: false,
  });

/** What a cluster says, fact by fact. */
export const facts = (name: string) =>
  queryOptions({
    queryKey: ["clusters", name, "facts"],
    queryFn: async () => take(await api.GET("/api/v1/clusters/{name}/facts", { params: { path: { name } } })),
  });

export const usage = (template: string) =>
  queryOptions({
    queryKey: ["templates", template, "usage"],
    queryFn: async () => take(await api.GET("/api/v1/usage/{template}", { params: { path: { template } } })),
  });

export const advice = (template: string, question: SizeQuestion) =>
  queryOptions({
    queryKey: ["templates", template, "size", question],
    queryFn: async () =>
      take(await api.GET("/api/v1/size/{template}", { params: { path: { template }, query: question } })),
    retry: false,
    placeholderData: (before) => before,
  });

/** How agents go on nodes; a mean run is one of those that sizing is asked about. */
export const fits = (template: string, { class: name, halfLife, cluster }: SizeQuestion) =>
  queryOptions({
    queryKey: ["templates", template, "fit", name, halfLife, cluster],
    queryFn: async () =>
      take(
        await api.GET("/api/v1/fit", {
          params: { query: { templates: [template], class: name, halfLife, cluster } },
        }),
      ),
    retry: false,
    placeholderData: (before) => before,
  });

export const connections = queryOptions({
  queryKey: ["connections"],
  queryFn: async () => take(await api.GET("/api/v1/connections")),
});

export const trials = (template: string) =>
  queryOptions({
    queryKey: ["trials", { template }],
    queryFn: async () =>
      take(
        await api.GET("/api/v1/work", {
          params: { query: { kind: ["preflight", "rehearsal"], about: template } },
        }),
      ),
  });

type Kind = "PodTemplate" | "Cluster" | "Workload" | "Scenario";

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

/** What is usual for every hour of the week in a scenario. */
export const usual = (scenario: string) =>
  queryOptions({
    queryKey: ["scenarios", scenario, "usual"],
    queryFn: async () =>
      take(await api.GET("/api/v1/scenarios/{name}/usual", { params: { path: { name: scenario } } })),
    refetchInterval: 60_000, // the hour goes on; the week is worked out once
    enabled: scenario !== "",
  });
