import { useCallback, useRef } from "react";
import type { Schemas } from "../api/client";
import Chart, { css, type Option } from "./Chart";

const agentColours: Record<string, string> = {
  working: "--phase-work",
  wiping: "--phase-wipe",
  starting: "--phase-setup",
  unplaced: "--phase-placing",
  idle: "--phase-held",
};
const order = ["working", "wiping", "starting", "unplaced", "idle"];
const coreColours: Record<string, string> = {
  room: "--color-base-content",
  requested: "--phase-setup",
  used: "--phase-work",
};
const poolColours = ["--color-secondary", "--phase-node", "--phase-image", "--phase-join"];

/** Another outcome, laid over. */
export interface Other {
  name: string;
  o: Schemas["Outcome"];
}

/** added adds lines up, bin by bin. */
const added = (lines: { values: number[] }[]) =>
  (lines[0]?.values ?? []).map((_, i) => lines.reduce((sum, l) => sum + (l.values[i] ?? 0), 0));

/** Five quantities over one axis, looked at closer together. */
export default function TimeLines({
  o,
  other,
  from,
  to,
  onZoom,
}: {
  o: Schemas["Outcome"];
  other?: Other;
  from: number;
  to: number;
  onZoom: (from: number, to: number) => void;
}) {
  const first = useRef({ from, to });
  const build = useCallback((): Option => {
    const start = new Date(o.start).getTime();
    const bin = o.lines.binNs / 1e6;
    const end = start + o.spanNs / 1e6;
    const line = css("--color-base-300");
    const ink = css("--color-base-content");
    const zone = o.zone;
    const write = (form: Intl.DateTimeFormatOptions) =>
      new Intl.DateTimeFormat("en-GB", { timeZone: zone, ...form });
    const day = write({ weekday: "short", day: "numeric", month: "short" });
    const hour = write({ hour: "2-digit", minute: "2-digit" });
    const whole = write({
      weekday: "short",
      day: "numeric",
      month: "short",
      hour: "2-digit",
      minute: "2-digit",
    });
    const panels = ["waiting jobs", "agents", "nodes", "cores", `${o.cost.currency} an hour`];
    const points = (values: number[]) => values.map((v, i) => [start + i * bin, v]);
    const area = (name: string, at: number, values: number[], colour: string, stack?: string) => ({
      name,
      type: "line",
      step: "end",
      xAxisIndex: at,
      yAxisIndex: at,
      stack,
      showSymbol: false,
      symbolSize: 0,
      lineStyle: { width: stack ? 0 : 1.4 },
      areaStyle: { opacity: stack ? 0.9 : 0.25 },
      color: css(colour),
      data: points(values),
    });
    const heights = [70, 110, 70, 90, 60];
    let top = 8;
    const grid = heights.map((h) => {
      const g = { left: 64, right: 12, top, height: h };
      top += h + 26;
      return g;
    });
    /** over lays a line of the other outcome over a panel: by the same moments of the week, wherever it begins. */
    const over = (at: number, values: number[]) =>
      other
        ? [
            {
              name: other.name,
              type: "line",
              step: "end",
              xAxisIndex: at,
              yAxisIndex: at,
              showSymbol: false,
              lineStyle: { width: 1.4, type: "dashed" },
              color: ink,
              data: values.map((v, i) => [start + i * (other.o.lines.binNs / 1e6), v]),
            },
          ]
        : [];
    const byName = (name: string) => o.lines.agents.find((a) => a.name === name)?.values ?? [];
    return {
      grid,
      tooltip: {
        trigger: "axis",
        backgroundColor: css("--color-base-100"),
        borderColor: line,
        textStyle: { color: ink, fontSize: 12 },
        valueFormatter: (v: number) => (Math.round(v * 100) / 100).toString(),
      },
      axisPointer: {
        link: [{ xAxisIndex: "all" }],
        label: { formatter: (p: { value: number }) => whole.format(p.value) },
      },
      legend: {
        top: top + 38,
        left: 0,
        textStyle: { color: ink },
        itemWidth: 12,
        itemHeight: 12,
        icon: "rect",
      },
      dataZoom: [
        {
          type: "slider",
          xAxisIndex: [0, 1, 2, 3, 4],
          startValue: first.current.from,
          endValue: first.current.to,
          top: top + 2,
          height: 24,
          left: 64,
          right: 12,
          borderColor: line,
          fillerColor: `${css("--color-primary")}22`,
          textStyle: { color: ink },
          labelFormatter: (v: number) => whole.format(v),
          showDataShadow: false,
          moveHandleSize: 0,
        },
      ],
      xAxis: grid.map((_, i) => ({
        type: "time",
        gridIndex: i,
        min: start,
        max: end,
        axisLabel: {
          show: i === 4,
          color: ink,
          hideOverlap: true,
          formatter: (v: number) =>
            hour.format(v) === "00:00" || v % 86_400_000 === 0 ? day.format(v) : hour.format(v),
        },
        axisTick: { show: i === 4 },
        axisLine: { lineStyle: { color: line } },
      })),
      yAxis: grid.map((_, i) => ({
        type: "value",
        gridIndex: i,
        name: panels[i],
        nameLocation: "middle",
        nameGap: 44,
        nameTextStyle: { color: ink, fontSize: 11 },
        splitNumber: 2,
        axisLabel: { color: ink, fontSize: 11 },
        splitLine: { lineStyle: { color: line } },
      })),
      series: [
        {
          ...area("waiting jobs", 0, o.lines.waiting, "--color-base-content"),
          markArea: {
            silent: true,
            itemStyle: { color: ink, opacity: 0.07 },
            label: { color: ink, fontSize: 10, position: "insideTop" },
            data:
              o.warmupNs > 0
                ? [[{ name: "warm-up", xAxis: start }, { xAxis: start + o.warmupNs / 1e6 }]]
                : [],
          },
        },
        ...order.map((n) => area(`agents ${n}`, 1, byName(n), agentColours[n] ?? "--phase-held", "agents")),
        ...(o.lines.before
          ? [
              {
                ...area("agents of before a change", 1, o.lines.before, "--color-base-content"),
                areaStyle: { opacity: 0 },
                lineStyle: { width: 1.6, type: "dashed" },
              },
            ]
          : []),
        ...o.lines.nodes.map((n, i) =>
          area(
            `pool ${n.name}`,
            2,
            n.values,
            poolColours[i % poolColours.length] ?? "--color-secondary",
            "nodes",
          ),
        ),
        ...o.lines.cpu.map((n) => ({
          ...area(`cores ${n.name}`, 3, n.values, coreColours[n.name] ?? "--phase-held"),
          ...(n.name === "room" ? { areaStyle: { opacity: 0 } } : {}),
        })),
        area(panels[4] ?? "", 4, o.lines.moneyPerHour, "--color-primary"),
        ...(other
          ? [
              ...over(0, other.o.lines.waiting),
              ...over(1, added(other.o.lines.agents)),
              ...over(2, added(other.o.lines.nodes)),
              ...over(3, other.o.lines.cpu.find((l) => l.name === "requested")?.values ?? []),
              ...over(4, other.o.lines.moneyPerHour),
            ]
          : []),
      ],
    };
  }, [o, other]);
  return (
    <Chart
      build={build}
      height={620}
      label="waiting jobs, agents, nodes, cores and money over time; a table follows"
      onZoom={onZoom}
    />
  );
}
