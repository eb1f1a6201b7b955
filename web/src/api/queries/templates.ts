// Templates: what is found of them, their manifests, sizes and trials.

import { infiniteQueryOptions, queryOptions } from "@tanstack/react-query";
import { api, take } from "../client";
import type { paths } from "../schema.gen";

export type TemplatesAsked = NonNullable<paths["/api/v1/templates"]["get"]["parameters"]["query"]>;

/** Templates page by page, with a text in their names or words, in an order. */
export const templatePages = (asked: TemplatesAsked) =>
  infiniteQueryOptions({
    queryKey: ["templates", "pages", asked],
    queryFn: async ({ pageParam }) =>
      take(
        await api.GET("/api/v1/templates", {
          params: { query: { ...asked, cursor: pageParam || undefined } },
        }),
      ),
    initialPageParam: "",
    getNextPageParam: (page) => page.next || undefined,
    placeholderData: (before) => before,
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
