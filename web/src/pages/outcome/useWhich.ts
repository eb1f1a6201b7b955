import type { Schemas } from "../../api/client";
import type { paths } from "../../api/schema.gen";
import { type Changes, useAddress } from "../../parts/useAddress";

/** Which jobs of an outcome are meant, as the service is asked for them. */
export type Which = NonNullable<paths["/api/v1/outcomes/{id}/part"]["get"]["parameters"]["query"]>;

const words = ["class", "template", "result", "cause", "text"] as const;

/** Which jobs are meant stands in the address: the time that is brushed, and what they are filtered by. */
export function useWhich(o: Schemas["Outcome"]) {
  const { query, instead } = useAddress();
  const begin = new Date(o.start).getTime();
  const end = begin + o.spanNs / 1e6;
  // An address may name times that the outcome does not have, or none.
  const inside = (name: string, otherwise: number) => {
    const at = Number(query.get(name) ?? otherwise);
    return Number.isFinite(at) ? Math.min(Math.max(at, begin), end) : otherwise;
  };
  const from = inside("from", begin);
  const to = Math.max(inside("to", end), from);
  const brushed = from > begin + 1000 || to < end - 1000;
  const which: Which = {};
  if (brushed) {
    which.from = new Date(from).toISOString();
    which.to = new Date(to).toISOString();
  }
  for (const w of words) {
    const value = query.get(w);
    if (value) which[w] = value;
  }
  /** set changes the address; what is empty goes from it, and the list of jobs begins anew. */
  const set = (changes: Changes) => instead({ jobs: "", ...changes });
  return {
    which,
    brushed,
    from,
    to,
    filtered: words.some((w) => which[w] !== undefined),
    set,
    whole: () => set({ from: undefined, to: undefined }),
    query,
  };
}
