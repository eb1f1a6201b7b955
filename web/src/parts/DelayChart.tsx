import { useCallback } from "react";
import { duration } from "../words";
import Chart, { css, look, type Option } from "./Chart";

const colours = [
  "--color-primary",
  "--phase-node",
  "--phase-setup",
  "--phase-image",
  "--phase-placing",
  "--phase-join",
  "--phase-save",
  "--phase-held",
];
const dashes = ["solid", "solid", "dashed", "dotted", "dashed", "solid", "dotted", "solid"];

/** tick names the powers of sixty seconds. */
const tick = (s: number) => (s < 60 ? `${s} s` : s < 3600 ? `${s / 60} min` : `${s / 3600} h`);

/** Distributions of start delay: the share of jobs that start within a time, on a logarithmic axis. */
export default function DelayChart({
  series,
}: {
  /** Those that are laid over are of another outcome. */
  series: { name: string; curve: { percent: number; ns: number }[]; over?: boolean }[];
}) {
  const build = useCallback((): Option => {
    const { line, ink, tooltip, legend } = look();
    return {
      grid: { left: 48, right: 16, top: 16, bottom: 84 },
      legend,
      tooltip: {
        ...tooltip,
        formatter: (p: { seriesName: string; value: [number, number] }) =>
          `${p.seriesName}: ${p.value[1]} % start within ${duration(p.value[0] * 1e9)}`,
      },
      xAxis: {
        type: "log",
        logBase: 60,
        min: 0.5,
        name: "start delay",
        nameLocation: "middle",
        nameGap: 28,
        axisLabel: { color: ink, formatter: (v: number) => tick(v) },
        splitLine: { lineStyle: { color: line } },
        axisLine: { lineStyle: { color: line } },
      },
      yAxis: {
        type: "value",
        min: 0,
        max: 100,
        interval: 25,
        axisLabel: { color: ink, formatter: "{value} %" },
        splitLine: { lineStyle: { color: line } },
      },
      series: series.map((s, i) => ({
        name: s.name,
        type: "line",
        showSymbol: false,
        symbolSize: 7,
        triggerLineEvent: true,
        lineStyle: {
          width: i === 0 || s.over ? 3 : 1.6,
          type: s.over ? "dashed" : dashes[i % dashes.length],
        },
        color: css(s.over ? "--color-base-content" : (colours[i % colours.length] ?? "")),
        data: s.curve.map((p) => [Math.max(p.ns / 1e9, 0.5), p.percent]),
      })),
    };
  }, [series]);
  return <Chart build={build} height={340} label="distribution of start delay; a table follows" />;
}
