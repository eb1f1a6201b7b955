import { useCallback } from "react";
import type { Schemas } from "../../../api/client";
import Chart, { css, legend, lineKey, look, type Option } from "../../../parts/Chart";
import { amount } from "../../../words";

/** CPU in use over the time of a run: of all of them, and of a usual one. */
export function OverTime({ of }: { of: Schemas["Advice"] }) {
  const build = useCallback((): Option => {
    const { line, ink, tooltip } = look();
    const { minutes, p10, p50, p90, usual } = of.overTime;
    const end = minutes.at(-1) ?? 1;
    const level = (name: string, cores: number, colour: string, dashed: boolean) => ({
      name,
      type: "line",
      symbol: "none",
      color: colour,
      lineStyle: { width: 1.6, type: dashed ? "dashed" : "solid" },
      data: [
        [0, cores],
        [end, cores],
      ],
    });
    const curve = (name: string, list: number[], colour: string, width: number) => ({
      name,
      type: "line",
      symbol: "none",
      color: colour,
      lineStyle: { width },
      data: list.map((y, i) => [minutes[i], y]),
    });
    const today = amount(of.now.cpu);
    const best = amount(of.best.cpu);
    return {
      grid: { left: 40, right: 16, top: 12, bottom: 92 },
      legend: legend(ink, [
        { name: "8 runs in 10", icon: "rect", itemStyle: { opacity: 0.4 } },
        lineKey("half of the runs"),
        lineKey("one usual run"),
        lineKey(`request, ${best} cores`),
        ...(today > 0 && today !== best ? [lineKey(`request today, ${today} cores`, true)] : []),
      ]),
      tooltip: {
        ...tooltip,
        trigger: "axis",
        formatter: (list: { axisValue: number }[]) => {
          const at = list[0]?.axisValue ?? 0;
          const i = minutes.findIndex((m) => m >= at - 1e-9);
          if (i < 0) return "";
          return `after ${minutes[i]?.toFixed(1)} min, ${of.overTime.working[i]} runs at work: half use at most ${p50[i]?.toFixed(1)} cores, 9 in 10 at most ${p90[i]?.toFixed(1)}`;
        },
      },
      xAxis: {
        type: "value",
        min: 0,
        max: end,
        name: "minutes since the run began",
        nameLocation: "middle",
        nameGap: 26,
        nameTextStyle: { color: ink },
        axisLabel: { color: ink, showMaxLabel: false },
        splitLine: { show: false },
        axisLine: { lineStyle: { color: line } },
      },
      yAxis: {
        type: "value",
        min: 0,
        name: "cores",
        nameTextStyle: { color: ink },
        axisLabel: { color: ink },
        splitLine: { lineStyle: { color: line } },
      },
      series: [
        {
          ...curve("floor", p10, "transparent", 0),
          stack: "band",
          silent: true,
          tooltip: { show: false },
        },
        {
          ...curve(
            "8 runs in 10",
            p90.map((y, i) => y - (p10[i] ?? 0)),
            css("--phase-work"),
            0,
          ),
          stack: "band",
          areaStyle: { opacity: 0.28 },
          silent: true,
        },
        curve("half of the runs", p50, css("--phase-work"), 2.4),
        curve("one usual run", usual, ink, 1),
        level(`request, ${best} cores`, best, css("--color-warning"), false),
        ...(today > 0 && today !== best
          ? [level(`request today, ${today} cores`, today, css("--phase-wipe"), true)]
          : []),
      ],
    };
  }, [of]);
  return <Chart build={build} height={300} label="CPU in use over the time of a run; a table follows" />;
}
