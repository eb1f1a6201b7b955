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
  const from = Number(query.get("from") ?? begin);
  const to = Number(query.get("to") ?? end);
  const brushed = from > begin + 1000 || to < end - 1000;
  const which: Which = {};
  if (brushed) {
    which.from = new Date(Math.max(from, begin)).toISOString();
    which.to = new Date(Math.min(to, end)).toISOString();
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
