import type { Schemas } from "../../api/client";
import { DataTable } from "../../parts/DataTable";
import { Section } from "../../parts/Section";
import { duration, inOne } from "../../words";

/** How long agents lived, and what they had done when they went. */
export function Lives({ id, o }: { id: number; o: Schemas["Outcome"] }) {
  if (!o.lives || o.lives.length === 0) return null;
  return (
    <Section
      title="How long agents lived"
      aside="those that had joined and went, a repeat"
      answer={o.lives.map((x) => `${x.template}: ${inOne(x.jobsEach)} jobs each`).join("; ")}
    >
      <DataTable
        name={`outcome-${id}-lives`}
        rows={o.lives}
        rowKey={(x) => x.template}
        columns={[
          { title: "template", value: (x) => x.template },
          { title: "agents", right: true, value: (x) => x.agents.mean, show: (x) => inOne(x.agents) },
          { title: "jobs each", right: true, value: (x) => x.jobsEach.mean, show: (x) => inOne(x.jobsEach) },
          { title: "age", right: true, value: (x) => x.ageNs.mean, show: (x) => duration(x.ageNs.mean) },
          {
            title: "after their most jobs",
            right: true,
            value: (x) => x.byJobs.mean,
            show: (x) => (x.byJobs.mean > 0 ? inOne(x.byJobs) : "–"),
          },
          {
            title: "past their most age",
            right: true,
            value: (x) => x.byAge.mean,
            show: (x) => (x.byAge.mean > 0 ? inOne(x.byAge) : "–"),
          },
        ]}
      />
    </Section>
  );
}
