import { useCallback } from "react";
import Chart, { css, look, type Option } from "../../parts/Chart";
import { DataTable } from "../../parts/DataTable";
import { Asked } from "../../parts/Why";
import { likeMoney } from "../../words";
import type { Weighing } from "./plan";

/** The bill of each plan by cause, and what the store holds over time. */
export function Money({ o }: { o: Weighing }) {
  const causes = [
    ...new Set(o.plans.flatMap((p) => p.money.filter((m) => m.difference.mean !== 0).map((m) => m.what))),
  ];
  const order = (c: string) => (c === "nodes" ? 0 : c.startsWith("held by") ? 1 : 2);
  causes.sort((a, b) => order(a) - order(b));
  const stored = o.plans.filter((p) => p.storedGB.some((x) => x > 0));
  const build = useCallback((): Option => {
    const { line, ink, legend } = look();
    const first = stored[0]?.storedGB.length ?? 1;
    const day = o.spanNs / 864e11 / first;
    return {
      grid: { left: 52, right: 16, top: 16, bottom: 60 },
      legend,
      xAxis: {
        type: "value",
        max: o.spanNs / 864e11,
        name: "days",
        nameLocation: "middle",
        nameGap: 24,
        nameTextStyle: { color: ink },
        axisLabel: { color: ink },
        splitLine: { show: false },
        axisLine: { lineStyle: { color: line } },
      },
      yAxis: {
        type: "value",
        min: 0,
        name: "GB in the store",
        nameTextStyle: { color: ink, align: "left" },
        axisLabel: { color: ink },
        splitLine: { lineStyle: { color: line } },
      },
      series: stored.map((p, i) => ({
        name: p.key,
        type: "line",
        showSymbol: false,
        lineStyle: { width: 2, type: ["solid", "dashed", "dotted"][i % 3] },
        color: css(
          [
            "--color-primary",
            "--phase-node",
            "--phase-setup",
            "--phase-image",
            "--phase-placing",
            "--phase-held",
          ][i % 6] ?? "",
        ),
        data: p.storedGB.map((y, k) => [(k + 0.5) * day, y]),
      })),
    };
  }, [stored, o.spanNs]);
  return (
    <>
      <DataTable
        name={`${o.scenario}-money`}
        rows={o.plans}
        rowKey={(p) => p.key}
        columns={[
          { title: `${o.currency} a month`, value: (p) => p.key },
          ...causes.map((c) => ({
            title: c,
            right: true,
            value: (p: Weighing["plans"][0]) => p.money.find((m) => m.what === c)?.perMonth.mean ?? 0,
            show: (p: Weighing["plans"][0]) => {
              const x = p.money.find((m) => m.what === c)?.perMonth.mean ?? 0;
              return x === 0 ? "–" : <Asked of={`money/${p.key}/${c}`}>{likeMoney(x, Math.max(x, 1))}</Asked>;
            },
          })),
          {
            title: "GB to the store",
            right: true,
            value: (p) => p.groups[0]?.upGB.mean ?? 0,
            show: (p) => (
              <Asked of={`plan/${p.key}/all classes/up`}>{likeMoney(p.groups[0]?.upGB.mean ?? 0, 100)}</Asked>
            ),
          },
          {
            title: "GB from it",
            right: true,
            value: (p) => p.groups[0]?.downGB.mean ?? 0,
            show: (p) => (
              <Asked of={`plan/${p.key}/all classes/down`}>
                {likeMoney(p.groups[0]?.downGB.mean ?? 0, 100)}
              </Asked>
            ),
          },
        ]}
      />
      <p className="mt-1 text-sm opacity-80">
        "held by" is the part of the nodes' cost in which agents restore, do cold work or save.
      </p>
      {stored.length > 0 && <Chart build={build} height={240} label="GB in the store over time" />}
    </>
  );
}
