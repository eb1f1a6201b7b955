import { useCallback } from "react";
import type { Schemas } from "../../api/client";
import Chart, { css, look, type Option } from "../../parts/Chart";
import { duration } from "../../words";

/** Below this all delays are drawn at one place, s. */
const least = 0.5;
const tick = (s: number) => (s < 60 ? `${s} s` : s < 3600 ? `${s / 60} min` : `${s / 3600} h`);

/** Each percentile as predicted, with what chance leaves open, against what was observed. */
export default function Quantiles({ shape }: { shape: Schemas["Quantile"][] }) {
  const build = useCallback((): Option => {
    const { line, ink, tooltip } = look();
    const at = (ns: number) => Math.max(ns / 1e9, least);
    const most = Math.max(...shape.map((q) => Math.max(at(q.observedNs), at(q.highNs))), 60);
    const axis = (name: string, gap: number) => ({
      type: "log",
      logBase: 60,
      min: least,
      max: most,
      name,
      nameLocation: "middle",
      nameGap: gap,
      nameTextStyle: { color: ink },
      axisLabel: { color: ink, formatter: tick, showMinLabel: false, showMaxLabel: false },
      splitLine: { lineStyle: { color: line } },
      axisLine: { lineStyle: { color: line } },
    });
    return {
      grid: { left: 64, right: 16, top: 16, bottom: 48 },
      tooltip: {
        ...tooltip,
        formatter: (p: { dataIndex: number; seriesName: string }) => {
          const q = shape[p.dataIndex];
          return q && p.seriesName === "jobs"
            ? `${q.p} % started within ${duration(q.observedNs)}; predicted ${duration(q.predictedNs)}, by chance ${duration(q.lowNs)} to ${duration(q.highNs)}`
            : "";
        },
      },
      xAxis: axis("observed", 28),
      yAxis: axis("predicted", 46),
      series: [
        {
          name: "alike",
          type: "line",
          silent: true,
          showSymbol: false,
          lineStyle: { color: css("--color-base-content"), width: 1, type: "dashed", opacity: 0.6 },
          data: [
            [least, least],
            [most, most],
          ],
        },
        {
          name: "chance",
          type: "custom",
          silent: true,
          data: shape.map((q) => [at(q.observedNs), at(q.lowNs), at(q.highNs)]),
          renderItem: (
            _: unknown,
            api: { value: (i: number) => number; coord: (p: number[]) => [number, number] },
          ) => {
            const [x, low] = api.coord([api.value(0), api.value(1)]);
            const [, high] = api.coord([api.value(0), api.value(2)]);
            return {
              type: "line",
              shape: { x1: x, y1: low, x2: x, y2: high },
              style: { stroke: css("--color-primary"), lineWidth: 2, opacity: 0.45 },
            };
          },
        },
        {
          name: "jobs",
          type: "scatter",
          symbolSize: 7,
          itemStyle: { color: css("--color-primary") },
          data: shape.map((q) => [at(q.observedNs), at(q.predictedNs)]),
        },
      ],
    };
  }, [shape]);
  return (
    <>
      <Chart
        build={build}
        height={320}
        label="percentiles of start delay, predicted against observed; the tables below hold them"
      />
      <p className="text-sm opacity-80">
        On the dashed line both are alike; strokes are what chance leaves open at 95 %.
      </p>
    </>
  );
}
