import { useCallback } from "react";
import type { Schemas } from "../../api/client";
import { band, bandKey } from "../../parts/band";
import Chart, { css, legend, lineKey, look, type Option } from "../../parts/Chart";
import { count } from "../../words";
import { hourBack } from "./hourBack";

type Moment = Schemas["WatchedMoment"];
type Band = Schemas["Band"];

/** Agents and nodes since they are watched, each beside what is usual for its hour of the week. */
export default function OverTime({
  before,
  week,
}: {
  before: Moment[];
  week?: { hours: { agents: Band; nodes: Band }[]; hour: number };
}) {
  const build = useCallback((): Option => {
    const { line, ink, tooltip } = look();
    const first = new Date(before[0]?.at ?? 0).getTime();
    const last = new Date(before[before.length - 1]?.at ?? 0).getTime();
    const lines: { name: string; of: (m: Moment) => number; colour: string }[] = [
      { name: "agents", of: (m) => m.agents, colour: css("--color-primary") },
      { name: "agents without a node", of: (m) => m.waiting, colour: css("--phase-placing") },
      { name: "nodes", of: (m) => m.nodes, colour: css("--phase-image") },
    ];
    const at = (m: Moment) => new Date(m.at).getTime();
    const bandOf = (pick: (h: { agents: Band; nodes: Band }) => Band): [number, number, number][] =>
      before.map((m) => {
        const h = week && hourBack(week, last, at(m));
        const b = h ? pick(h) : undefined;
        return [at(m), b ? b.low : Number.NaN, b ? b.high : Number.NaN];
      });
    return {
      grid: { left: 48, right: 16, top: 12, bottom: 52 },
      legend: legend(ink, [
        ...lines.map((l) => lineKey(l.name)),
        ...(week ? [bandKey("agents, usual"), bandKey("nodes, usual")] : []),
      ]),
      tooltip: {
        ...tooltip,
        trigger: "axis",
        formatter: (list: { dataIndex: number }[]) => {
          const m = before[list[0]?.dataIndex ?? 0];
          return m
            ? `${new Date(m.at).toLocaleTimeString("en-GB")}: ${lines.map((l) => `${l.name} ${count(l.of(m))}`).join(", ")}`
            : "";
        },
      },
      xAxis: {
        type: "time",
        min: first,
        max: Math.max(last, first + 60_000),
        axisLabel: { color: ink, hideOverlap: true },
        splitLine: { show: false },
      },
      yAxis: {
        type: "value",
        min: 0,
        minInterval: 1,
        axisLabel: { color: ink },
        splitLine: { lineStyle: { color: line } },
      },
      series: [
        ...(week
          ? [
              band(
                "agents, usual",
                bandOf((h) => h.agents),
                css("--color-primary"),
                0.18,
              ),
              band(
                "nodes, usual",
                bandOf((h) => h.nodes),
                css("--phase-image"),
                0.18,
              ),
            ]
          : []),
        ...lines.map((l) => ({
          name: l.name,
          type: "line",
          step: "end",
          showSymbol: false,
          color: l.colour,
          lineStyle: { width: 2 },
          z: 2,
          data: before.map((m) => [at(m), l.of(m)]),
        })),
      ],
    };
  }, [before, week]);
  return (
    <Chart build={build} height={220} label="agents and nodes since they are watched, beside what is usual" />
  );
}
