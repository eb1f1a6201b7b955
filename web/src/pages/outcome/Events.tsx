import type { Schemas } from "../../api/client";
import { DataTable } from "../../parts/DataTable";
import { Section } from "../../parts/Section";
import { count, inOne, percent } from "../../words";

type Result = Schemas["Outcome"];

/** What went wrong, and what the workspace cache did. */
export function Events({ id, o }: { id: number; o: Result }) {
  const c = o.cache;
  if (o.troubles.length === 0 && !c) return null;
  return (
    <>
      {o.troubles.length > 0 && (
        <Section
          title="What went wrong on the way"
          aside="in a repeat"
          answer={o.troubles
            .slice(0, 2)
            .map((t) => `${count(t.count.mean)} × ${t.label}`)
            .join("; ")}
        >
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
                show: (t) => inOne(t.count),
              },
            ]}
          />
        </Section>
      )}
      {c && (
        <Section
          title="The workspace cache"
          aside="in a repeat"
          answer={`${percent(c.found.mean)} found it up to date, ${percent(c.stale.mean)} out of date`}
        >
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
    </>
  );
}
