import { lazy, Suspense } from "react";
import type { Schemas } from "../../api/client";
import { DataTable } from "../../parts/DataTable";
import { Section, Waiting } from "../../parts/Section";
import type { Other } from "../../parts/TimeLines";
import { duration, moment } from "../../words";
import { Brushed } from "./Brushed";
import { useWhich } from "./useWhich";

const TimeLines = lazy(() => import("../../parts/TimeLines"));

type Result = Schemas["Outcome"];

/** Waiting jobs, agents, nodes and money on one axis; the part shown is in the address. */
export function Lines({ id, o, other }: { id: number; o: Result; other?: Other }) {
  const { from, to, set } = useWhich(o);
  const zoom = (a: number, b: number) => set({ from: Math.round(a), to: Math.round(b) });
  return (
    <>
      <Section
        title="Over time"
        aside={`means of ${duration(o.lines.binNs)} over ${o.repeats} repeats; brush a time with the handles below: what became of its jobs follows`}
      >
        <Suspense fallback={<Waiting what="the chart" />}>
          <TimeLines o={o} other={other} from={from} to={to} onZoom={zoom} />
        </Suspense>
        <details className="text-sm">
          <summary className="cursor-pointer">As a table</summary>
          <LinesTable o={o} from={from} to={to} />
        </details>
      </Section>
      <Brushed id={id} o={o} />
    </>
  );
}

const tableLines = 200;

function LinesTable({ o, from, to }: { o: Result; from: number; to: number }) {
  const start = new Date(o.start).getTime();
  const bin = o.lines.binNs / 1e6;
  const rows = o.lines.waiting
    .map((_, i) => i)
    .filter((i) => start + i * bin >= from && start + i * bin < to);
  const at = (i: number) => new Date(start + i * bin).toISOString();
  return (
    <>
      {rows.length > tableLines && (
        <p>
          The first {tableLines} of {rows.length} intervals; look closer for the others.
        </p>
      )}
      <DataTable
        name={`${o.scenario}-time-lines`}
        rows={rows.slice(0, tableLines)}
        rowKey={String}
        columns={[
          { title: "from", value: at, show: (i) => moment(at(i), o.zone) },
          { title: "waiting jobs", right: true, value: (i) => o.lines.waiting[i] ?? 0 },
          ...[
            ...o.lines.agents,
            ...(o.lines.before ? [{ name: "of before a change", values: o.lines.before }] : []),
            ...o.lines.nodes,
          ].map((l) => ({
            title: l.name,
            right: true,
            value: (i: number) => l.values[i] ?? 0,
          })),
          ...[
            ...o.lines.cpu.map((l) => ["cores", l] as const),
            ...o.lines.memory.map((l) => ["GiB", l] as const),
          ].map(([unit, l]) => ({
            title: `${unit} ${l.name}`,
            right: true,
            value: (i: number) => l.values[i] ?? 0,
          })),
          { title: `${o.cost.currency} an hour`, right: true, value: (i) => o.lines.moneyPerHour[i] ?? 0 },
        ]}
      />
    </>
  );
}
