import { useCallback } from "react";
import type { Schemas } from "../../api/client";
import { band, bandKey } from "../../parts/band";
import Chart, { css, legend, lineKey, look, type Option } from "../../parts/Chart";
import { count } from "../../words";
import { hourBack } from "./hourBack";

type Moment = Schemas["QueueMoment"];
type Band = Schemas["Band"];

/** Jobs that waited and ran over the last hours, beside how many usually wait. */
export default function QueueOverTime({
  before,
  week,
}: {
  before: Moment[];
  week?: { hours: { waiting: Band }[]; hour: number };
}) {
  const build = useCallback((): Option => {
    const { line, ink, tooltip } = look();
    const at = (m: Moment) => new Date(m.at).getTime();
    const last = before[before.length - 1];
    const lines: { name: string; of: (m: Moment) => number; colour: string }[] = [
      { name: "jobs waiting", of: (m) => m.waiting, colour: css("--phase-node") },
      { name: "jobs running", of: (m) => m.running, colour: css("--phase-work") },
    ];
    return {
      grid: { left: 48, right: 16, top: 12, bottom: 52 },
      legend: legend(ink, [
        ...lines.map((l) => lineKey(l.name)),
        ...(week ? [bandKey("waiting, usual")] : []),
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
      xAxis: { type: "time", axisLabel: { color: ink, hideOverlap: true }, splitLine: { show: false } },
      yAxis: {
        type: "value",
        min: 0,
        minInterval: 1,
        axisLabel: { color: ink },
        splitLine: { lineStyle: { color: line } },
      },
      series: [
        ...(week && last
          ? [
              band(
                "waiting, usual",
                before.map((m) => {
                  const b = hourBack(week, at(last), at(m))?.waiting;
                  return [at(m), b ? b.low : Number.NaN, b ? b.high : Number.NaN];
                }),
                css("--phase-node"),
                0.18,
              ),
            ]
          : []),
        ...lines.map((l) => ({
          name: l.name,
          type: "line",
          showSymbol: false,
          color: l.colour,
          lineStyle: { width: 2 },
          z: 2,
          data: before.map((m) => [at(m), l.of(m)]),
        })),
      ],
    };
  }, [before, week]);
  return <Chart build={build} height={200} label="jobs waiting and running over the last hours" />;
}
