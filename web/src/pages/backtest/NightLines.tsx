import { useCallback } from "react";
import type { Schemas } from "../../api/client";
import { band, bandKey } from "../../parts/band";
import Chart, { css, legend, lineKey, look, type Option } from "../../parts/Chart";
import { count, day, duration } from "../../words";

type Day = { day: string; looked?: Schemas["Looked"] };

const at = (ns: number) => ns / 1e9;

/** One percentile, day by day: as observed, beside what runs of the same jobs say is usual. */
export default function NightLines({ days, label }: { days: Day[]; label: string }) {
  const build = useCallback((): Option => {
    const { line, ink, tooltip } = look();
    const tint = css("--color-primary");
    const beyond = (x?: Schemas["Looked"]) => x !== undefined && (x.above === 0 || x.below === 0);
    return {
      grid: { left: 64, right: 16, top: 16, bottom: 56 },
      legend: legend(ink, [
        bandKey("usual, nine runs in ten"),
        lineKey("observed"),
        { name: "beyond all runs", icon: "circle" },
      ]),
      tooltip: {
        ...tooltip,
        trigger: "axis",
        formatter: (list: { dataIndex: number }[]) => {
          const d = days[list[0]?.dataIndex ?? 0];
          return d?.looked
            ? `${day(d.day)}, ${count(d.looked.jobs)} jobs: ${duration(d.looked.observedNs)}, usual ${duration(d.looked.lowNs)} to ${duration(d.looked.highNs)}`
            : d
              ? `${day(d.day)}: too few jobs`
              : "";
        },
      },
      xAxis: {
        type: "value",
        min: 0,
        max: Math.max(1, days.length - 1),
        minInterval: 1,
        axisLabel: {
          color: ink,
          formatter: (i: number) => (days[i] ? day(days[i].day) : ""),
        },
        splitLine: { show: false },
      },
      yAxis: {
        type: "value",
        scale: true,
        axisLabel: {
          color: ink,
          formatter: (s: number) => duration(s * 1e9),
          showMinLabel: true,
          showMaxLabel: false,
        },
        splitLine: { lineStyle: { color: line } },
      },
      series: [
        band(
          "usual, nine runs in ten",
          days.map((d, i) => [
            i,
            d.looked ? at(d.looked.lowNs) : Number.NaN,
            d.looked ? at(d.looked.highNs) : Number.NaN,
          ]),
          tint,
          0.3,
        ),
        {
          name: "observed",
          type: "line",
          color: css("--color-base-content"),
          symbol: "circle",
          symbolSize: 5,
          lineStyle: { width: 1.5 },
          z: 2,
          data: days.map((d, i) => [i, d.looked ? at(d.looked.observedNs) : null]),
        },
        {
          name: "beyond all runs",
          type: "scatter",
          color: css("--color-warning"),
          symbolSize: 10,
          z: 3,
          data: days.flatMap((d, i) => (d.looked && beyond(d.looked) ? [[i, at(d.looked.observedNs)]] : [])),
        },
      ],
    };
  }, [days]);
  return <Chart build={build} height={280} label={label} />;
}
