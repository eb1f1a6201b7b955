// Documents: scenarios, clusters, workloads, their revisions and what they come to.

import { infiniteQueryOptions, queryOptions } from "@tanstack/react-query";
import { api, take } from "../client";
import type { paths } from "../schema.gen";

/** Scenarios with a text in their names, those simulated last first, as many as are offered where one is to be chosen. */
export const scenariosNamed = (text: string) =>
  queryOptions({
    queryKey: ["scenarios", { named: text }],
    queryFn: async () =>
      take(
        await api.GET("/api/v1/scenarios", {
          params: { query: { text: text || undefined, by: "outcome", down: true } },
        }),
      ),
  });

/** The scenarios that were simulated last, and others. */
export const scenarios = scenariosNamed("");

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

/** Kinds of documents, with what is kept of them here. */
const keptUnder = {
  PodTemplate: "templates",
  Cluster: "clusters",
  Workload: "workloads",
  Scenario: "scenarios",
  Sweep: "sweeps",
} as const;

/** How many pages of names are offered where one is to be chosen; others can be typed. */
const namePages = 3;

/** The names of the first documents of a kind. */
export const documentNames = (kind: keyof typeof keptUnder) =>
  queryOptions({
    queryKey: [keptUnder[kind], { names: true }],
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

type Kind = "PodTemplate" | "Cluster" | "Workload" | "Scenario";

/** What is usual for every hour of the week in a scenario. */
export const usual = (scenario: string) =>
  queryOptions({
    queryKey: ["scenarios", scenario, "usual"],
    queryFn: async () =>
      take(await api.GET("/api/v1/scenarios/{name}/usual", { params: { path: { name: scenario } } })),
    refetchInterval: 60_000, // the hour goes on; the week is worked out once
    enabled: scenario !== "",
  });
