import { useCallback } from "react";
import type { Schemas } from "../../api/client";
import { band, bandKey } from "../../parts/band";
import Chart, { css, legend, lineKey, look, type Option } from "../../parts/Chart";
import { count } from "../../words";

type Hour = Schemas["UsualHour"];

/** A line of what there was, with what of an hour is usual of it. */
export type Line = {
  name: string;
  values: number[];
  colour: string;
  usual?: (h: Hour) => Schemas["Band"];
};

/** How many there were of some things over time, each beside what is usual for its hour of the week. */
export default function OverTime({
  at,
  lines,
  week,
  label,
}: {
  /** The moments. */
  at: string[];
  lines: Line[];
  /** What is usual; its hour is that of the last moment. */
  week?: { hours: Hour[]; hour: number };
  label: string;
}) {
  const build = useCallback((): Option => {
    const { line, ink, tooltip } = look();
    const times = at.map((iso) => new Date(iso).getTime());
    const first = times[0] ?? 0;
    const last = times[times.length - 1] ?? 0;
    const hourOf = (t: number) => {
      const back = Math.floor(last / 3.6e6) - Math.floor(t / 3.6e6);
      return week?.hours[(((week.hour - back) % 168) + 168) % 168];
    };
    const bands = week ? lines.filter((l) => l.usual) : [];
    return {
      grid: { left: 48, right: 16, top: 12, bottom: 52 },
      legend: legend(ink, [
        ...lines.map((l) => lineKey(l.name)),
        ...bands.map((l) => bandKey(`${l.name}, usual`)),
      ]),
      tooltip: {
        ...tooltip,
        trigger: "axis",
        formatter: (list: { dataIndex: number }[]) => {
          const i = list[0]?.dataIndex ?? 0;
          return `${new Date(times[i] ?? 0).toLocaleTimeString("en-GB")}: ${lines.map((l) => `${l.name} ${count(l.values[i] ?? 0)}`).join(", ")}`;
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
        ...bands.map((l) =>
          band(
            `${l.name}, usual`,
            times.map((t) => {
              const h = hourOf(t);
              const b = h && l.usual?.(h);
              return [t, b ? b.low : Number.NaN, b ? b.high : Number.NaN];
            }),
            css(l.colour),
            0.18,
          ),
        ),
        ...lines.map((l) => ({
          name: l.name,
          type: "line",
          step: "end",
          showSymbol: false,
          color: css(l.colour),
          lineStyle: { width: 2 },
          z: 2,
          data: times.map((t, i) => [t, l.values[i]]),
        })),
      ],
    };
  }, [at, lines, week]);
  return <Chart build={build} height={220} label={label} />;
}
