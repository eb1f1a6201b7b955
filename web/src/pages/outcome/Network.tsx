import type { Schemas } from "../../api/client";
import { DataTable } from "../../parts/DataTable";
import { Section } from "../../parts/Section";
import { inOne } from "../../words";

/** What jobs fetch and send over links of the cluster. */
export function Network({ id, o }: { id: number; o: Schemas["Outcome"] }) {
  if (!o.network || o.network.length === 0) return null;
  return (
    <Section
      title="Over the network"
      aside="what jobs fetch and send, a month of 730 h"
      answer={`${o.network.length} ${o.network.length === 1 ? "flow" : "flows"} over ${[...new Set(o.network.map((x) => x.link))].join(", ")}`}
    >
      <DataTable
        name={`outcome-${id}-network`}
        rows={o.network}
        rowKey={(x) => [x.link, x.for, x.class].join("/")}
        columns={[
          { title: "over", value: (x) => x.link },
          { title: "for", value: (x) => x.for },
          { title: "class", value: (x) => x.class },
          { title: "GB in", right: true, value: (x) => x.downGB.mean, show: (x) => inOne(x.downGB) },
          { title: "GB out", right: true, value: (x) => x.upGB.mean, show: (x) => inOne(x.upGB) },
          {
            title: `${o.cost.currency} a month`,
            right: true,
            value: (x) => x.perMonth.mean,
            show: (x) => inOne(x.perMonth),
          },
        ]}
      />
    </Section>
  );
}
