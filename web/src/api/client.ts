import createClient from "openapi-fetch";
import type { components, paths } from "./schema.gen";

export type Schemas = components["schemas"];

export const api = createClient<paths>({
  baseUrl: "/",
  credentials: "same-origin",
  querySerializer: { array: { style: "form", explode: false } },
});

/** A refusal by the service, with every reason it gave. */
export class Problem extends Error {
  readonly status: number;
  readonly reasons: string[];
  /** Where each reason stands in the request, as in body.name. */
  readonly places: string[];
  constructor(status: number, detail: string, reasons: string[], places: string[] = []) {
    super(detail);
    this.status = status;
    this.reasons = reasons;
    this.places = places;
  }
}

/** take returns an answer's data or throws its problem. */
export function take<T>(answer: { data?: T; error?: Schemas["ErrorModel"]; response: Response }): T {
  if (answer.response.ok) {
    return answer.data as T;
  }
  const p = answer.error;
  throw new Problem(
    answer.response.status,
    p?.detail ?? p?.title ?? "the service did not answer as expected",
    (p?.errors ?? []).map((e) => e.message ?? ""),
    (p?.errors ?? []).map((e) => e.location ?? ""),
  );
}

/** edit changes a stored document at a revision; meanwhile is what to say where someone else was first. */
export async function edit(
  kind: "Scenario" | "PodTemplate",
  name: string,
  revision: number,
  edits: Schemas["Edit"][],
  meanwhile: string,
) {
  const answer = await api.PATCH("/api/v1/documents/{kind}/{name}", {
    params: { path: { kind, name }, header: { "If-Match": `"r${revision}"` } },
    body: edits,
    headers: { "Content-Type": "application/json-patch+json" },
  });
  if (answer.response.status === 412) throw new Error(meanwhile);
  return take(answer);
}

/** What is said of a job log that is to be learned. */
export type Said = NonNullable<paths["/api/v1/learn/jobs"]["post"]["parameters"]["query"]>;

/** The zone that the browser is in, for times in logs that name none. */
export const hereZone = Intl.DateTimeFormat().resolvedOptions().timeZone || "UTC";

/** learnJobs makes a workload of a job log. */
export const learnJobs = async (log: File, query: Said) =>
  take(
    await api.POST("/api/v1/learn/jobs", {
      params: { query },
      querySerializer: { array: { style: "form", explode: true } },
      body: log as unknown as string,
      bodySerializer: (body: unknown) => body as Blob,
      headers: { "Content-Type": "application/octet-stream" },
    }),
  );

/** asYaml sends a text as it is. */
export const asYaml = (text: string) => ({
  body: text,
  bodySerializer: (body: unknown) => String(body),
  headers: { "Content-Type": "application/yaml" },
});

/** storeText stores a document's text over a revision; 0: there must be none yet. */
export const storeText = async (
  kind: "Scenario" | "PodTemplate",
  name: string,
  revision: number,
  text: string,
) =>
  take(
    await api.PUT("/api/v1/documents/{kind}/{name}", {
      params: {
        path: { kind, name },
        header: revision > 0 ? { "If-Match": `"r${revision}"` } : { "If-None-Match": "*" },
      },
      ...asYaml(text),
    }),
  );

/** Long work of any kind in brief. */
export type Work = Schemas["WorkBrief"];

/** over says that nothing will happen to work any more. */
export const over = (w: Work) => w.state !== "queued" && w.state !== "running";

/** cancel ends work. */
export const cancel = async (id: number) =>
  take(await api.POST("/api/v1/work/{id}/cancel", { params: { path: { id } } }));

/** watch hears of work over server-sent events until it is over; the returned function ends it. */
export function watch(id: number, tell: (now: Work) => void): () => void {
  const events = new EventSource(`/api/v1/work/${id}/progress`);
  const close = () => events.close();
  events.addEventListener("progress", (e) => {
    const now = JSON.parse((e as MessageEvent<string>).data) as Work;
    if (over(now)) {
      close();
    }
    tell(now);
  });
  window.addEventListener("pagehide", close);
  return () => {
    window.removeEventListener("pagehide", close);
    close();
  };
}
