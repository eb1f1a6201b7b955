import { useCallback } from "react";
import Chart, { css, look, type Option } from "../../parts/Chart";
import { DataTable } from "../../parts/DataTable";
import { count } from "../../words";
import type { Weighed, Weighing } from "./plan";

const shown = ["every-all", "every-trunk", "changed-trunk", "node-disk", "baked"];
const colours = [
  "--phase-node",
  "--phase-placing",
  "--color-primary",
  "--phase-setup",
  "--phase-image",
  "--color-base-content",
  "--phase-held",
];
const dashes = ["solid", "dashed", "solid", "dotted", "dashed", "solid", "dotted"];

/** What a build has taken on average so far against no cache, build by build. */
export function PaysOff({ o, at }: { o: Weighing; at: number }) {
  const plans = o.plans.filter(
    (p) => shown.includes(p.key) || ((p.key === o.today || p.key === o.best) && p.key !== "none"),
  );
  const build = useCallback((): Option => {
    const { line, ink, tooltip, legend } = look();
    const course = (p: Weighed) => {
      const pays = p.groups[at]?.pays;
      return (pays?.at ?? []).map((n, i) => [n, (pays?.courseNs[i] ?? 0) / n / 1e9]);
    };
    const all = plans.map(course);
    const low = Math.min(0, ...all.flatMap((c) => c.map((p) => p[1] ?? 0)));
    const high = Math.max(0, ...all.flatMap((c) => c.map((p) => p[1] ?? 0)));
    return {
      grid: { left: 64, right: 16, top: 16, bottom: 84 },
      legend,
      tooltip: {
        ...tooltip,
        formatter: (p: { seriesName: string; value: [number, number] }) =>
          `${p.seriesName}: after ${count(p.value[0])} builds, ${Math.abs(p.value[1]).toFixed(1)} s ${p.value[1] > 0 ? "more" : "less"} a build than without a cache`,
      },
      xAxis: {
        type: "log",
        min: 1,
        name: "builds so far",
        nameLocation: "middle",
        nameGap: 28,
        nameTextStyle: { color: ink },
        axisLabel: { color: ink, formatter: (v: number) => count(v) },
        splitLine: { lineStyle: { color: line } },
        axisLine: { lineStyle: { color: ink } },
      },
      yAxis: {
        type: "value",
        min: Math.floor(low * 1.1),
        max: Math.ceil(Math.min(high, Math.max(-2.5 * low, 10)) * 1.05),
        axisLabel: {
          color: ink,
          formatter: (v: number) => `${v} s`,
          showMinLabel: false,
          showMaxLabel: false,
        },
        splitLine: { lineStyle: { color: line } },
      },
      series: plans.map((p, i) => ({
        name: p.label,
        type: "line",
        showSymbol: false,
        triggerLineEvent: true,
        clip: true,
        lineStyle: { width: p.key === o.best ? 3 : 1.8, type: dashes[i % dashes.length] },
        color: css(colours[i % colours.length] ?? ""),
        data: all[i],
        ...(i === 0 && {
          markLine: {
            silent: true,
            symbol: "none",
            lineStyle: { color: ink, type: "solid", width: 1 },
            label: { show: false },
            data: [{ yAxis: 0 }],
          },
        }),
      })),
    };
  }, [plans, at, o.best]);
  if (plans.every((p) => !p.groups[at]?.pays.repeats))
    return (
      <p className="text-sm opacity-80">
        Builds are not followed one by one: people submit their jobs as they get their results, so that they
        differ from plan to plan.
      </p>
    );
  return (
    <>
      <Chart
        build={build}
        height={320}
        label="what a build has taken on average so far against no cache; a table follows"
      />
      <details className="mt-2 text-sm">
        <summary className="cursor-pointer opacity-80">as a table</summary>
        <DataTable
          name={`${o.scenario}-course`}
          rows={(plans[0]?.groups[at]?.pays.at ?? []).map((n, i) => ({ n, i }))}
          rowKey={(r) => String(r.n)}
          columns={[
            { title: "builds", right: true, value: (r) => r.n, show: (r) => count(r.n) },
            ...plans.map((p) => ({
              title: p.key,
              right: true,
              value: (r: { n: number; i: number }) => (p.groups[at]?.pays.courseNs[r.i] ?? 0) / r.n / 1e9,
              show: (r: { n: number; i: number }) =>
                `${((p.groups[at]?.pays.courseNs[r.i] ?? 0) / r.n / 1e9).toFixed(1)} s`,
            })),
          ]}
        />
      </details>
    </>
  );
}
