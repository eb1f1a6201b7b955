import { useCallback } from "react";
import type { Schemas } from "../../api/client";
import Chart, { css, legend, lineKey, look, type Option } from "../../parts/Chart";
import { count, duration } from "../../words";

const days = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];

/** Mean start delays by hour of the week: observed, beside what was predicted. */
export default function Hours({ hours }: { hours: Schemas["HourOfWeek"][] }) {
  const build = useCallback((): Option => {
    const { line, ink, tooltip } = look();
    const by = new Map(hours.map((h) => [h.hour, h]));
    const each = (of: (h: Schemas["HourOfWeek"]) => number) =>
      Array.from({ length: 168 }, (_, i) => {
        const h = by.get(i);
        return [i, h ? Math.max(of(h) / 1e9, 0.1) : null];
      });
    const band = css("--color-primary");
    return {
      grid: { left: 64, right: 16, top: 16, bottom: 56 },
      legend: legend(ink, [lineKey("predicted", true), lineKey("observed")]),
      tooltip: {
        ...tooltip,
        trigger: "axis",
        formatter: (list: { value: [number, number] }[]) => {
          const h = by.get(list[0]?.value[0] ?? -1);
          return h
            ? `${days[Math.floor(h.hour / 24)]} ${String(h.hour % 24).padStart(2, "0")}:00, ${count(h.jobs)} jobs: observed ${duration(h.observedNs)}, predicted ${duration(h.predictedNs)} (by chance ${duration(h.lowNs)} to ${duration(h.highNs)})`
            : "";
        },
      },
      xAxis: {
        type: "value",
        min: 0,
        max: 168,
        interval: 24,
        axisLabel: {
          color: ink,
          formatter: (v: number) => days[v / 24] ?? "",
          align: "left",
        },
        splitLine: { lineStyle: { color: line } },
      },
      yAxis: {
        type: "log",
        logBase: 60,
        axisLabel: {
          color: ink,
          formatter: (s: number) => duration(s * 1e9),
          showMinLabel: false,
          showMaxLabel: false,
        },
        splitLine: { lineStyle: { color: line } },
      },
      series: [
        {
          name: "predicted",
          type: "line",
          showSymbol: false,
          color: band,
          lineStyle: { width: 1.5, type: "dashed" },
          data: each((h) => h.predictedNs),
        },
        {
          name: "observed",
          type: "line",
          symbolSize: 4,
          color: css("--phase-node"),
          lineStyle: { width: 2 },
          data: each((h) => h.observedNs),
        },
      ],
    };
  }, [hours]);
  return (
    <Chart
      build={build}
      height={320}
      label={`mean start delay by hour of the week, predicted and observed, of ${hours.length} hours`}
    />
  );
}
