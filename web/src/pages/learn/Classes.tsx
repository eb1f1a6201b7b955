import type { Schemas } from "../../api/client";
import { DataTable } from "../../parts/DataTable";
import { bytes, count, duration, percent } from "../../words";

type Seen = Schemas["ClassSeen"];

const seconds = (s?: number) => (s === undefined ? "–" : duration(s * 1e9));

/** The classes that a log comes to, each with how long its jobs work and how near that is told. */
export function Classes({ of }: { of: Schemas["LearnedJobs"] }) {
  return (
    <DataTable<Seen>
      name={`${of.name}-classes`}
      rows={of.classes}
      rowKey={(c) => c.name}
      columns={[
        {
          title: "class",
          value: (c) => c.name,
          show: (c) => (c.folded ? `${c.name} (${c.folded} kinds)` : c.name),
        },
        { title: "jobs", right: true, value: (c) => c.jobs, show: (c) => count(c.jobs) },
        { title: "a week", right: true, value: (c) => c.perWeek, show: (c) => count(c.perWeek) },
        { title: "wants", value: (c) => c.wants.join(" ") },
        {
          title: "half work more than",
          right: true,
          value: (c) => c.work?.median ?? 0,
          show: (c) => (
            <span title={`at 99.9 %: ${seconds(c.work?.medianLow)} to ${seconds(c.work?.medianHigh)}`}>
              {seconds(c.work?.median)}
            </span>
          ),
        },
        {
          title: "5 % more than",
          right: true,
          value: (c) => c.work?.p95 ?? 0,
          show: (c) => (
            <span title={`at 99.9 %: ${seconds(c.work?.p95Low)} to ${seconds(c.work?.p95High)}`}>
              {seconds(c.work?.p95)}
            </span>
          ),
        },
        {
          title: "as",
          value: (c) => c.work?.family ?? "",
          show: (c) => <span title={c.work?.why}>{c.work?.family}</span>,
        },
        {
          title: "memory, 95 %",
          right: true,
          value: (c) => c.memory?.p95 ?? 0,
          show: (c) => (c.memory ? bytes(c.memory.p95) : "–"),
        },
        {
          title: "trunk",
          right: true,
          value: (c) => c.trunk ?? 0,
          show: (c) => (c.trunk === undefined ? "–" : percent(c.trunk)),
        },
        { title: "comes", value: (c) => c.follows || (c.bursts ?? []).join("; ") },
      ]}
    />
  );
}
