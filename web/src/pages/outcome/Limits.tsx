import type { Schemas } from "../../api/client";
import { DataTable } from "../../parts/DataTable";
import { Section } from "../../parts/Section";
import { count, duration, money, percent, signed } from "../../words";

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
          { title: "job-hours", right: true, value: (l) => l.jobHours, show: (l) => l.jobHours.toFixed(1) },
          {
            title: "hours with someone waiting",
            right: true,
            value: (l) => l.hours,
            show: (l) => l.hours.toFixed(1),
          },
          {
            title: "with one more",
            value: (l) => l.oneMore?.lessNs ?? 0,
            show: (l) =>
              l.oneMore ? (
                <span className="inline-block min-w-60">
                  one more {l.oneMore.what}: {signed(-l.oneMore.metHours, (x) => x.toFixed(1))} job-hours of
                  delay, mean {duration(l.oneMore.meanDelayNs)};{" "}
                  {signed(l.oneMore.costNano / 1e9, (x) => money(x, o.cost.currency))} on this run's bill
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

/** What went wrong, and what the workspace cache did. */
export function Events({ id, o }: { id: number; o: Result }) {
  const c = o.cache;
  if (o.troubles.length === 0 && !c) return null;
  return (
    <div className="grid gap-x-10 lg:grid-cols-2">
      {o.troubles.length > 0 && (
        <Section title="What went wrong" aside="in a repeat">
          <DataTable
            name={`outcome-${id}-troubles`}
            rows={o.troubles}
            rowKey={(t) => t.key}
            columns={[
              { title: "what", value: (t) => t.label },
              {
                title: "how often",
                right: true,
                value: (t) => t.count.mean,
                show: (t) =>
                  `${t.count.mean.toFixed(1)}${t.count.half >= 0.05 ? ` ± ${t.count.half.toFixed(1)}` : ""}`,
              },
            ]}
          />
        </Section>
      )}
      {c && (
        <Section title="The workspace cache" aside="in a repeat">
          <DataTable
            name={`outcome-${id}-cache`}
            rows={[
              { what: "jobs that found it up to date", value: percent(c.found.mean, 1) },
              { what: "jobs that found it out of date", value: percent(c.stale.mean, 1) },
              { what: "jobs that found nothing", value: percent(1 - c.found.mean - c.stale.mean, 1) },
              { what: "archives saved", value: count(c.saves.mean) },
              { what: "kept in the store, on average", value: `${c.keptGB.mean.toFixed(1)} GB` },
              { what: "brought in", value: `${count(c.downGB.mean)} GB` },
              { what: "sent out", value: `${count(c.upGB.mean)} GB` },
            ]}
            rowKey={(r) => r.what}
            columns={[
              { title: "what", value: (r) => r.what },
              { title: "", right: true, value: (r) => r.value },
            ]}
          />
        </Section>
      )}
    </div>
  );
}
