import type { Schemas } from "../../api/client";
import { DataTable } from "../../parts/DataTable";
import { Section } from "../../parts/Section";
import { count, duration, money, oneDecimal, signed } from "../../words";

type Result = Schemas["Outcome"];

/** Ceilings, quotas and full pools that jobs waited at, and what one more would have met. */
export function Limits({ id, o }: { id: number; o: Result }) {
  const rows = o.limits.filter((l) => l.jobHours >= 0.005).slice(0, 6);
  if (rows.length === 0) return null;
  return (
    <Section
      title="What held jobs up"
      aside="the first repeat; one more was tried on the same jobs and draws"
    >
      <DataTable
        name={`outcome-${id}-limits`}
        rows={rows}
        rowKey={(l) => l.cause + l.name}
        columns={[
          {
            title: "waiting for",
            value: (l) => l.label,
            show: (l) => <span className="inline-block min-w-44">{l.label}</span>,
          },
          { title: "jobs", right: true, value: (l) => l.jobs, show: (l) => count(l.jobs) },
          { title: "job-hours", right: true, value: (l) => l.jobHours, show: (l) => oneDecimal(l.jobHours) },
          {
            title: "hours with someone waiting",
            right: true,
            value: (l) => l.hours,
            show: (l) => oneDecimal(l.hours),
          },
          {
            title: "with one more",
            value: (l) => l.oneMore?.lessNs ?? 0,
            show: (l) =>
              l.oneMore ? (
                <span className="inline-block min-w-60">
                  one more {l.oneMore.what}:{" "}
                  {l.oneMore.moreStarted
                    ? `${signed(l.oneMore.moreStarted, count)} jobs start`
                    : `${signed(-l.oneMore.metHours, oneDecimal)} job-hours of delay, mean ${duration(l.oneMore.meanDelayNs)}`}
                  ; {signed(Number(l.oneMore.costNano) / 1e9, (x) => money(x, o.cost.currency))} on this run's
                  bill
                </span>
              ) : (
                "not tried"
              ),
          },
        ]}
      />
    </Section>
  );
}
