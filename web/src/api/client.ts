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
  constructor(status: number, detail: string, reasons: string[]) {
    super(detail);
    this.status = status;
    this.reasons = reasons;
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
  );
}

/** watch follows a simulation over server-sent events; the returned function ends it. */
export function watch(id: number, tell: (o: Schemas["OutcomeBrief"]) => void): () => void {
  const events = new EventSource(`/api/v1/outcomes/${id}/progress`);
  const close = () => events.close();
  events.addEventListener("progress", (e) => {
    const o = JSON.parse((e as MessageEvent<string>).data) as Schemas["OutcomeBrief"];
    if (o.state !== "queued" && o.state !== "running") {
      close();
    }
    tell(o);
  });
  window.addEventListener("pagehide", close);
  return () => {
    window.removeEventListener("pagehide", close);
    close();
  };
}
