import type { Schemas } from "../../api/client";
import { DataTable } from "../../parts/DataTable";
import { Section } from "../../parts/Section";
import { inOne, percent } from "../../words";

type Result = Schemas["Outcome"];

/** Jobs that never start or do not end well, by what went wrong, class and template. */
export function Failures({ id, o }: { id: number; o: Result }) {
  if (o.failures.length === 0) return null;
  return (
    <Section title="What goes wrong for good" aside="jobs that never start, or do not end well">
      <DataTable
        name={`outcome-${id}-failures`}
        rows={o.failures}
        rowKey={(f) => [f.class, f.template, f.end, f.cause].join("/")}
        columns={[
          {
            title: "what",
            value: (f) => f.label,
            show: (f) => (
              <span className="inline-block min-w-44">
                {f.started ? f.label : `never started: ${f.label}`}
              </span>
            ),
          },
          { title: "class", value: (f) => f.class },
          { title: "template", value: (f) => f.template || "none fits" },
          {
            title: "jobs in a repeat",
            right: true,
            value: (f) => f.jobs.mean,
            show: (f) => inOne(f.jobs),
          },
          {
            title: "of the class",
            right: true,
            value: (f) => f.jobs.mean / Math.max(1, f.of.mean),
            show: (f) => percent(f.jobs.mean / Math.max(1, f.of.mean), 1),
          },
        ]}
      />
    </Section>
  );
}
