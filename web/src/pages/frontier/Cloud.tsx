import { useCallback } from "react";
import Chart, { css, look, type Option } from "../../parts/Chart";
import { duration, money } from "../../words";
import { type Answer, verdicts, worst } from "./verdict";

/** A point: a month's bill, the delay in seconds, and which variant it is. */
type Point = [number, number, number];

interface Api {
  value: (dimension: number) => number;
  coord: (at: [number, number]) => [number, number];
}

const far = 1e6; // times a bound: beyond any axis
const least = 0.1; // seconds: where a logarithmic axis begins

/** What a logarithmic axis names, in seconds. */
const ticks = [0.1, 1, 5, 15, 60, 300, 900, 3600, 14400, 86400, 604800];

/** The variants by what a month costs and within what 95 % of jobs start; one can be picked. */
export default function Cloud({ a, chosen, pick }: { a: Answer; chosen: number; pick: (n: number) => void }) {
  const build = useCallback((): Option => {
    const { line, ink, tooltip, legend } = look();
    const at = (n: number): Point => {
      const v = a.variants[n];
      return [v?.billPerMonth.mean ?? 0, Math.max((v?.delayP95Ns.mean ?? 0) / 1e9, least), n];
    };
    const of = (verdict: string) =>
      a.variants.flatMap((v, n) => (worst(v.aims) === verdict && n !== a.best && n !== 0 ? [at(n)] : []));
    const frontier = a.variants.flatMap((v, n) => (v.frontier ? [at(n)] : [])).sort((x, y) => x[0] - y[0]);
    const marked = [...new Set([...frontier.map((p) => p[2]), 0, chosen, ...(a.best < 0 ? [] : [a.best])])];
    const crosses = marked.flatMap((n) => {
      const v = a.variants[n];
      if (!v) return [];
      const [x, y] = at(n);
      const [w, h] = [v.billPerMonth.half, v.delayP95Ns.half / 1e9];
      return [[x - w, x + w, Math.max(y - h, least), y + h, x, y]];
    });
    const delays = a.variants.map((v) => Math.max(v.delayP95Ns.mean / 1e9, least));
    const wide = Math.max(...delays) > 30 * Math.min(...delays);
    const beyond = a.aims.flatMap((x): object[][] => {
      const label = { formatter: x.says, color: ink, fontSize: 11 };
      if (x.axis === "bill")
        return [
          [{ xAxis: x.at, label: { ...label, position: "insideTopLeft" } }, { xAxis: (x.at ?? 0) * far }],
        ];
      if (x.axis === "delay")
        return [
          [
            { yAxis: (x.at ?? 0) / 1e9, label: { ...label, position: "insideTopLeft" } },
            { yAxis: ((x.at ?? 0) / 1e9) * far },
          ],
        ];
      return [];
    });
    const bills = a.variants.map((v) => v.billPerMonth.mean);
    const [lowest, highest] = [Math.min(...bills), Math.max(...bills)];
    // A name at the edge goes inwards, where it covers no axis.
    const side = (n: number) => {
      const where = ((a.variants[n]?.billPerMonth.mean ?? 0) - lowest) / Math.max(highest - lowest, 1e-9);
      return where < 0.06 ? "right" : where > 0.94 ? "left" : "top";
    };
    const named = (name: string, n: number, color: string, symbol: string) => ({
      name,
      type: "scatter",
      data: n < 0 ? [] : [at(n)],
      symbol,
      symbolSize: 13,
      z: 6,
      itemStyle: { color, borderColor: css("--color-base-100"), borderWidth: 1.5 },
      label: {
        show: true,
        formatter: name,
        position: side(n),
        distance: side(n) === "top" ? 8 : 14,
        color: ink,
        fontWeight: 600,
        padding: [1, 3],
        backgroundColor: css("--color-base-100"),
      },
    });
    const dots = (name: string, data: Point[], itemStyle: object, symbolSize: number) => ({
      name,
      type: "scatter",
      data,
      symbolSize,
      itemStyle,
      z: 3,
    });
    const axis = {
      axisLabel: { color: ink },
      splitLine: { lineStyle: { color: line } },
      axisLine: { lineStyle: { color: line } },
    };
    const today = a.best === 0 ? [] : [named("today", 0, ink, "rect")];
    return {
      grid: { left: 64, right: 84, top: 36, bottom: 84 },
      legend: {
        ...legend,
        icon: undefined,
        itemWidth: 14,
        data: [
          ...(a.aims.length > 0 ? ["keeps all aims", "not decided", "misses an aim"] : ["keeps all aims"]),
          "the frontier",
        ],
      },
      tooltip: {
        ...tooltip,
        formatter: (p: { data: number[] }) => {
          const v = a.variants[p.data[2] ?? -1];
          if (!v || p.data.length !== 3) return "";
          const box = document.createElement("div");
          box.style.cssText = "max-width: 22rem; white-space: normal";
          const lines = [
            v.change,
            `95 % of jobs start within ${duration(v.delayP95Ns.mean)}; ${money(v.billPerMonth.mean, a.currency)} a month`,
            `${verdicts(v.aims)}, ${v.runs} repeats`,
          ];
          for (const text of lines) {
            box.appendChild(document.createElement("div")).textContent = text;
          }
          return box;
        },
      },
      xAxis: {
        type: "value",
        scale: true,
        name: `a month, ${a.currency}`,
        nameLocation: "middle",
        nameGap: 28,
        ...axis,
      },
      yAxis: {
        type: wide ? "log" : "value",
        scale: true,
        name: "95 % start within",
        nameTextStyle: { align: "left" },
        ...axis,
        splitLine: { show: !wide, lineStyle: { color: line } },
        axisTick: wide ? { show: true, customValues: ticks } : {},
        axisLabel: {
          color: ink,
          formatter: (s: number) => duration(s * 1e9),
          ...(wide ? { customValues: ticks } : {}),
        },
      },
      series: [
        {
          ...dots("misses an aim", of("missed"), { color: ink, opacity: 0.45 }, 6),
          symbol: "emptyCircle",
          markArea: {
            silent: true,
            itemStyle: { color: css("--color-error"), opacity: 0.07 },
            data: beyond,
          },
        },
        dots("not decided", of("not decided"), { color: css("--color-warning"), opacity: 0.85 }, 7),
        dots("keeps all aims", of("kept"), { color: css("--color-primary"), opacity: 0.85 }, 7),
        {
          name: "the frontier",
          type: "line",
          data: frontier,
          step: "end",
          symbol: "none",
          silent: true,
          z: 2,
          lineStyle: { color: css("--color-info"), width: 2 },
          itemStyle: { color: css("--color-info") },
        },
        {
          type: "custom",
          silent: true,
          z: 4,
          data: crosses,
          dimensions: ["low", "high", "least", "most", "bill", "delay"],
          encode: { x: [0, 1, 4], y: [2, 3, 5] },
          renderItem: (_: unknown, on: Api) => {
            const [x1, y] = on.coord([on.value(0), on.value(5)]);
            const [x2] = on.coord([on.value(1), on.value(5)]);
            const [x, y1] = on.coord([on.value(4), on.value(2)]);
            const [, y2] = on.coord([on.value(4), on.value(3)]);
            const style = { stroke: ink, lineWidth: 1, opacity: 0.7 };
            return {
              type: "group",
              children: [
                { type: "line", shape: { x1, y1: y, x2, y2: y }, style },
                { type: "line", shape: { x1: x, y1, x2: x, y2 }, style },
              ],
            };
          },
        },
        ...today,
        named(
          a.best === 0 ? "recommended: as it is" : "recommended",
          a.best,
          css("--color-primary"),
          "diamond",
        ),
        {
          type: "scatter",
          silent: true,
          z: 7,
          data: [at(chosen)],
          symbolSize: 22,
          itemStyle: { color: "transparent", borderColor: css("--color-info"), borderWidth: 2.5 },
        },
      ],
    };
  }, [a, chosen]);
  return (
    <Chart
      build={build}
      height={420}
      label="variants by a month's bill and start delay; a table follows"
      onPick={(data) => {
        const n = Array.isArray(data) && data.length === 3 ? Number(data[2]) : -1;
        if (n >= 0) pick(n);
      }}
    />
  );
}
