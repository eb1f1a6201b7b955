import { lazy, Suspense } from "react";
import type { Schemas } from "../../api/client";
import { DataTable } from "../../parts/DataTable";
import { Section, Waiting } from "../../parts/Section";
import type { Other } from "../../parts/TimeLines";
import { duration } from "../../words";

const DelayChart = lazy(() => import("../../parts/DelayChart"));

type Group = Schemas["Group"];

/** inShort says within what time half, and most, start. */
function inShort(all?: Group) {
  const parts = [
    all?.delay.p50Ns && `half within ${duration(all.delay.p50Ns.mean)}`,
    all?.delay.p95Ns && `95 % within ${duration(all.delay.p95Ns.mean)}`,
    all?.delay.p99Ns && `99 % within ${duration(all.delay.p99Ns.mean)}`,
  ].filter((x) => x);
  return parts.join(", ") || "too few jobs start to say";
}

/** How long jobs wait to start: the distribution, as a chart and as a table. */
export function Delays({ groups, other }: { groups: Group[]; other?: Other }) {
  const theirs = other?.o.groups[0]?.curve;
  const shown = groups.filter((g) => g.curve && g.delay.maxNs.mean > 0);
  return (
    <Section
      title="How long jobs wait to start"
      aside="share of jobs that start within a time"
      answer={inShort(groups[0])}
    >
      <Suspense fallback={<Waiting what="the chart" />}>
        <DelayChart
          series={[
            ...shown.map((g) => ({ name: g.name, curve: g.curve ?? [] })),
            ...(other && theirs ? [{ name: `all of ${other.name}`, curve: theirs, over: true }] : []),
          ]}
        />
      </Suspense>
      <CurveTable groups={groups} />
    </Section>
  );
}

/** The numbers behind the delay chart. */
function CurveTable({ groups }: { groups: Group[] }) {
  const shown = groups.filter((g) => g.curve && g.delay.maxNs.mean > 0);
  const rows = (shown[0]?.curve ?? []).filter((p) => p.percent % 10 === 0 || p.percent > 94);
  return (
    <details className="text-sm">
      <summary className="cursor-pointer">As a table</summary>
      <DataTable
        name="delay-distribution"
        rows={rows}
        rowKey={(p) => String(p.percent)}
        columns={[
          { title: "share of jobs", right: true, value: (p) => p.percent, show: (p) => `${p.percent} %` },
          ...shown.map((g) => ({
            title: g.name,
            right: true,
            value: (p: Schemas["CurvePoint"]) => g.curve?.find((q) => q.percent === p.percent)?.ns ?? 0,
            show: (p: Schemas["CurvePoint"]) =>
              duration(g.curve?.find((q) => q.percent === p.percent)?.ns ?? 0),
          })),
        ]}
      />
    </details>
  );
}
