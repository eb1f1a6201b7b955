import { DataTable } from "../../parts/DataTable";
import { Asked } from "../../parts/Why";
import { bound, duration } from "../../words";
import { apart, planOf, type Weighing } from "./plan";

/** What the workspace takes of a build alone, and when all want it at once. */
export function Peak({ o }: { o: Weighing }) {
  const words = o.words.find((w) => w.startsWith("In the busiest hour"));
  return (
    <>
      {words && <p className={`mb-2 max-w-4xl ${o.peak.changed ? "text-warning" : ""}`}>{bound(words)}</p>}
      <DataTable
        name={`${o.scenario}-busiest`}
        rows={o.peak.plans}
        rowKey={(t) => t.key}
        columns={[
          { title: "plan", wide: true, value: (t) => t.key, show: (t) => planOf(o, t.key).label },
          {
            title: "a build alone",
            right: true,
            value: (t) => t.aloneNs.mean / 1e9,
            show: (t) => <Asked of={`peak/${t.key}/alone`}>{duration(t.aloneNs.mean)}</Asked>,
          },
          {
            title: "together",
            right: true,
            value: (t) => t.truthNs.mean / 1e9,
            show: (t) => <Asked of={`peak/${t.key}/truth`}>{duration(t.truthNs.mean)}</Asked>,
          },
          {
            title: "waiting for each other",
            right: true,
            value: (t) => t.moreNs.mean / 1e9,
            show: (t) => <Asked of={`peak/${t.key}/more`}>{apart(t.moreNs)}</Asked>,
          },
        ]}
      />
    </>
  );
}
