import { duration } from "../words";
import { type Segment, total } from "./Bar";
import { css, drawn, type Option } from "./Chart";

/** A bar with what it is of. */
export interface BarRow {
  label: string;
  list: Segment[];
}

const width = 960;
const row = 30;
const inks = (colour: string) => (colour.startsWith("var(") ? css(colour.slice(4, -1)) : colour);

/** picture draws bars as they stand on the page, with their key; what is longer than `whole` is cut there, and says so. */
export function picture(title: string, rows: BarRow[], whole: number, form: "png" | "svg") {
  const kinds = [...new Map(rows.flatMap((r) => r.list).map((s) => [s.key, s])).values()];
  const cut = (r: BarRow) => total(r.list) > 1.001 * whole;
  const scale = (r: BarRow) => (cut(r) ? whole / total(r.list) : 1);
  const lines = Math.ceil(kinds.reduce((wide, s) => wide + 32 + 7 * s.name.length, 0) / (width - 20));
  const build = (): Option => {
    const ink = css("--color-base-content");
    const axis = { axisTick: { show: false }, axisLine: { show: false }, inverse: true, type: "category" };
    return {
      title: { text: title, left: 4, top: 6, textStyle: { color: ink, fontSize: 15, fontWeight: 600 } },
      grid: { left: 190, right: 140, top: 40, height: row * rows.length },
      legend: {
        left: 4,
        bottom: 8,
        width: width - 20,
        icon: "rect",
        itemWidth: 12,
        itemHeight: 12,
        textStyle: { color: ink },
      },
      xAxis: { type: "value", min: 0, max: whole, show: false },
      yAxis: [
        {
          ...axis,
          data: rows.map((r) => r.label),
          axisLabel: { color: ink, fontSize: 13, width: 175, overflow: "truncate", interval: 0 },
        },
        {
          ...axis,
          data: rows.map((r) => `${duration(total(r.list))}${cut(r) ? ", cut" : ""}`),
          axisLabel: { color: ink, fontSize: 13, interval: 0 },
        },
      ],
      series: kinds.map((kind, i) => ({
        name: kind.name,
        type: "bar",
        stack: "all",
        barWidth: 20,
        color: inks(kind.colour),
        showBackground: i === 0,
        backgroundStyle: { color: css("--color-base-200") },
        data: rows.map((r) => (r.list.find((s) => s.key === kind.key)?.ns ?? 0) * scale(r)),
      })),
    };
  };
  return drawn(build, form, width, 60 + row * rows.length + 24 * lines);
}
