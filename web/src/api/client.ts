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

/** asYaml sends a text as it is. */
export const asYaml = (text: string) => ({
  body: text,
  bodySerializer: (body: unknown) => String(body),
  headers: { "Content-Type": "application/yaml" },
});

/** watch follows a simulation over server-sent events; the returned function ends it. */
export const watch = (id: number, tell: (o: Schemas["OutcomeBrief"]) => void) =>
  follow<Schemas["OutcomeBrief"]>(
    `/api/v1/outcomes/${id}/progress`,
    (o) => o.state !== "queued" && o.state !== "running",
    tell,
  );

/** follow hears of something long over server-sent events until it is over. */
export function follow<T>(address: string, over: (now: T) => boolean, tell: (now: T) => void): () => void {
  const events = new EventSource(address);
  const close = () => events.close();
  events.addEventListener("progress", (e) => {
    const now = JSON.parse((e as MessageEvent<string>).data) as T;
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
