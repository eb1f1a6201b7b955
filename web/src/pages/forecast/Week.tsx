import { useCallback } from "react";
import type { Schemas } from "../../api/client";
import { band, bandKey } from "../../parts/band";
import Chart, { css, legend, lineKey, look, type Option } from "../../parts/Chart";

const days = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];

type Band = Schemas["Band"];

/** A quantity by hour of the week: the middle and the band of nine in ten, beside what came where that is known. */
export default function Week({
  label,
  expected,
  came,
  write,
  logarithmic,
  colour,
  height,
  names = ["expected", "nine in ten", "as it came"],
}: {
  label: string;
  expected: (Band | null)[];
  came?: (number | null)[];
  write: (x: number) => string;
  logarithmic?: boolean;
  colour: string;
  height: number;
  /** What the middle, the band and what came are called. */
  names?: [string, string, string];
}) {
  const [mid, wide, is] = names;
  const build = useCallback((): Option => {
    const { line, ink, tooltip } = look();
    // On a scale of logarithms ns are drawn as seconds, so that its steps are those of a clock, and all
    // below one at one place.
    const at = (x: number) => (logarithmic ? Math.max(x / 1e9, 1) : x);
    const tint = css(colour);
    const seen = css("--color-base-content");
    return {
      grid: { left: 64, right: 16, top: 12, bottom: 48 },
      legend: legend(ink, [lineKey(mid), bandKey(wide), ...(came ? [lineKey(is, true)] : [])]),
      tooltip: {
        ...tooltip,
        trigger: "axis",
        formatter: (list: { dataIndex: number }[]) => {
          const h = list[0]?.dataIndex ?? 0;
          const b = expected[h];
          const seen = came?.[h];
          return b
            ? `${days[Math.floor(h / 24)]} ${String(h % 24).padStart(2, "0")}:00: ${write(b.mid)} (${write(b.low)} to ${write(b.high)})${seen === null || seen === undefined ? "" : `; ${is} ${write(seen)}`}`
            : "";
        },
      },
      xAxis: {
        type: "value",
        min: 0,
        max: 168,
        interval: 24,
        axisLabel: { color: ink, formatter: (v: number) => days[v / 24] ?? "", align: "left" },
        splitLine: { lineStyle: { color: line } },
      },
      yAxis: {
        type: logarithmic ? "log" : "value",
        logBase: 60,
        min: logarithmic ? 1 : 0,
        axisLabel: {
          color: ink,
          formatter: (v: number) => write(logarithmic ? v * 1e9 : v),
          showMaxLabel: false,
        },
        splitLine: { lineStyle: { color: line } },
      },
      series: [
        band(
          wide,
          expected.map((b, h) => [h, b ? at(b.low) : Number.NaN, b ? at(b.high) : Number.NaN]),
          tint,
        ),
        {
          name: mid,
          type: "line",
          showSymbol: logarithmic, // an hour by itself has no line
          symbolSize: 3,
          color: tint,
          lineStyle: { width: 2 },
          z: 2,
          data: expected.map((b, h) => [h, b ? at(b.mid) : null]),
        },
        ...(came
          ? [
              {
                name: is,
                type: "line",
                showSymbol: false,
                color: seen,
                lineStyle: { width: 1.5, type: "dashed" },
                z: 3,
                data: came.map((x, h) => [h, x === null ? null : at(x)]),
              },
            ]
          : []),
      ],
    };
  }, [expected, came, write, logarithmic, colour, mid, wide, is]);
  return <Chart build={build} height={height} label={`${label}, by hour of the week`} />;
}
