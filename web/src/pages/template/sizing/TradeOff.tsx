import { useCallback } from "react";
import type { Schemas } from "../../../api/client";
import Chart, { css, look, type Option } from "../../../parts/Chart";

type Point = Schemas["Point"];

/** What each request of CPU costs, and how much it stretches work on a full node. */
export function TradeOff({ of }: { of: Schemas["Advice"] }) {
  const build = useCallback((): Option => {
    const { line, ink, tooltip } = look();
    const fits = of.curve.filter((p) => p.agents > 0);
    const xy = (p: Point) => ({ value: [1000 * p.perRun, p.expected], point: p });
    const dot = (name: string, p: Point, colour: string, side: "bottom" | "right") => ({
      name,
      type: "scatter",
      symbolSize: 15,
      color: colour,
      data: [xy(p)],
      label: {
        show: true,
        position: side,
        formatter: `${name}, ${p.cpu} CPU`,
        color: colour,
        fontWeight: 600,
        fontSize: 13,
      },
    });
    const all = [...fits, ...(of.now.agents > 0 ? [of.now] : [])];
    const low = Math.min(...all.map((p) => 1000 * p.perRun));
    const high = Math.max(...all.map((p) => 1000 * p.perRun));
    const top = Math.max(...all.map((p) => p.expected), of.allowed);
    return {
      grid: { left: 56, right: 24, top: 12, bottom: 48 },
      tooltip: {
        ...tooltip,
        formatter: (p: { data: { point?: Point } }) =>
          p.data.point
            ? `${p.data.point.cpu} CPU: ${p.data.point.agents} on a node, ${p.data.point.expected.toFixed(3)} times as long (${p.data.point.expectedLow.toFixed(3)} to ${p.data.point.expectedHigh.toFixed(3)}), ${of.currency} ${(1000 * p.data.point.perRun).toFixed(2)} for 1,000 runs`
            : "",
      },
      xAxis: {
        type: "value",
        min: Math.max(low - 0.1 * (high - low), 0),
        max: high + 0.3 * Math.max(high - low, 0.05 * high),
        name: `${of.currency} for 1,000 runs`,
        nameLocation: "middle",
        nameGap: 28,
        nameTextStyle: { color: ink },
        axisLabel: {
          color: ink,
          showMinLabel: false,
          showMaxLabel: false,
          formatter: (v: number) => String(+v.toPrecision(3)),
        },
        splitLine: { show: false },
        axisLine: { lineStyle: { color: line } },
      },
      yAxis: {
        type: "value",
        min: 1 - 0.15 * (top - 1),
        max: top + 0.15 * (top - 1),
        axisLabel: {
          color: ink,
          showMinLabel: false,
          showMaxLabel: false,
          formatter: (v: number) => `${v.toFixed(2)} ×`,
        },
        splitLine: { lineStyle: { color: line } },
      },
      series: [
        {
          name: "requests",
          type: "line",
          color: css("--phase-work"),
          symbolSize: 8,
          symbol: "circle",
          data: fits.map(xy),
          markLine: {
            silent: true,
            symbol: "none",
            lineStyle: { color: ink, type: "dashed", opacity: 0.7 },
            label: { formatter: `allowed, ${of.allowed.toFixed(2)} ×`, position: "insideEndTop", color: ink },
            data: [{ yAxis: of.allowed }],
          },
        },
        ...(of.now.agents > 0 ? [dot("today", of.now, ink, "bottom")] : []),
        dot("better", of.best, css("--color-warning"), "right"),
      ],
    };
  }, [of]);
  return <Chart build={build} height={300} label="stretch against cost; a table follows" />;
}
