import { BarChart, CustomChart, LineChart, ScatterChart } from "echarts/charts";
import {
  DataZoomComponent,
  GridComponent,
  LegendComponent,
  MarkAreaComponent,
  MarkLineComponent,
  TitleComponent,
  TooltipComponent,
} from "echarts/components";
import * as echarts from "echarts/core";
import { CanvasRenderer, SVGRenderer } from "echarts/renderers";
import { useEffect, useRef } from "react";
import { leave, SaveAs } from "./SaveAs";

echarts.use([
  BarChart,
  LineChart,
  ScatterChart,
  CustomChart,
  GridComponent,
  LegendComponent,
  TitleComponent,
  TooltipComponent,
  DataZoomComponent,
  MarkAreaComponent,
  MarkLineComponent,
  CanvasRenderer,
  SVGRenderer,
]);

export type Option = echarts.EChartsCoreOption;

/** css reads a colour of the theme. */
export const css = (name: string) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

/** look is what all charts have alike: the colours of lines and letters, tips, and a legend of short strokes below. */
export function look() {
  const line = css("--color-base-300");
  const ink = css("--color-base-content");
  const textStyle = { color: ink };
  return {
    line,
    ink,
    tooltip: { trigger: "item", backgroundColor: css("--color-base-100"), borderColor: line, textStyle },
    legend: { bottom: 0, left: 0, textStyle, itemWidth: 28, icon: "path://M0 4h28v3H0z" },
  };
}

/** The letters of charts; in quotes that an SVG's attributes bear. */
export const font = "'Inter Variable', sans-serif";

/** A legend below a chart, in some order. */
export const legend = (ink: string, data: object[]) => ({
  bottom: 0,
  left: 0,
  textStyle: { color: ink },
  itemWidth: 22,
  itemHeight: 8,
  data,
});

/** A line's key in a legend, dashed where the line is. */
export const lineKey = (name: string, dashed = false) => ({
  name,
  icon: dashed ? "path://M0 3h5v2h-5zM8 3h6v2h-6zM17 3h5v2h-5z" : "path://M0 3h22v2h-22z",
});

/** plain is what a chart is drawn by. */
const plain = (build: () => Option): Option => ({
  animation: false,
  textStyle: { fontFamily: font, color: css("--color-base-content") },
  ...build(),
});

const pngOf = (chart: echarts.ECharts) =>
  chart.getDataURL({ type: "png", pixelRatio: 2, backgroundColor: css("--color-base-100") });

type Zoom = { startValue: number; endValue: number } | undefined;

const zoomOf = (chart: echarts.ECharts) =>
  (chart.getOption().dataZoom as NonNullable<Zoom>[] | undefined)?.[0];

/** svgOf draws a chart in lines. */
function svgOf(build: () => Option, width: number, height: number, zoom?: Zoom) {
  const copy = echarts.init(null, null, { renderer: "svg", ssr: true, width, height });
  const option = plain(build);
  copy.setOption({ backgroundColor: css("--color-base-100"), ...option });
  if (zoom) copy.dispatchAction({ type: "dataZoom", startValue: zoom.startValue, endValue: zoom.endValue });
  const text = copy.renderToSVGString();
  copy.dispose();
  return URL.createObjectURL(new Blob([text], { type: "image/svg+xml" }));
}

/** drawn draws what is not on the page as a chart, to be taken away. */
export function drawn(build: () => Option, form: "png" | "svg", width: number, height: number) {
  if (form === "svg") return svgOf(build, width, height);
  const chart = echarts.init(document.createElement("div"), null, { width, height });
  chart.setOption(plain(build));
  const png = pngOf(chart);
  chart.dispose();
  return png;
}

/** frame is over once the page was drawn and has answered what waited; of a page that nobody sees, at once. */
const frame = () =>
  new Promise<void>((over) => {
    if (document.hidden) setTimeout(over);
    else requestAnimationFrame(() => setTimeout(over));
  });

let before = Promise.resolve();

/** inTurn draws when those that came before are drawn, one a frame, so that the page answers in between. What is given back
 * keeps it from being drawn. */
function inTurn(draw: () => void): () => void {
  let wanted = true;
  before = before
    .then(frame)
    .then(() => {
      if (wanted) draw();
    })
    .catch(reportError);
  return () => {
    wanted = false;
  };
}

/** A chart in our theme; `build` is asked again when the theme changes. */
export default function Chart({
  build,
  height,
  label,
  onZoom,
  onPick,
}: {
  build: () => Option;
  height: number;
  label: string;
  onZoom?: (from: number, to: number) => void;
  /** A point was pressed: its entry in the data. */
  onPick?: (data: unknown) => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  const shown = useRef<echarts.ECharts | null>(null);
  const zoom = useRef(onZoom);
  zoom.current = onZoom;
  const pick = useRef(onPick);
  pick.current = onPick;
  useEffect(() => {
    if (!box.current) return;
    const chart = echarts.init(box.current);
    shown.current = chart;
    const draw = () => chart.setOption(plain(build), true);
    const unwanted = inTurn(draw);
    const resized = new ResizeObserver(() => chart.resize());
    resized.observe(box.current);
    const dark = matchMedia("(prefers-color-scheme: dark)");
    dark.addEventListener("change", draw);
    chart.on("click", (p) => pick.current?.(p.data));
    let pause: ReturnType<typeof setTimeout>;
    chart.on("datazoom", () => {
      clearTimeout(pause);
      pause = setTimeout(() => {
        const z = (chart.getOption().dataZoom as { startValue: number; endValue: number }[])[0];
        if (z) zoom.current?.(z.startValue, z.endValue);
      }, 250);
    });
    return () => {
      unwanted();
      clearTimeout(pause);
      dark.removeEventListener("change", draw);
      resized.disconnect();
      chart.dispose();
    };
  }, [build]);
  const save = (form: "png" | "svg") => {
    const chart = shown.current;
    if (!chart) return;
    const name = label.split(/[;,]/)[0]?.replaceAll(/\W+/g, "-");
    const picture =
      form === "png" ? pngOf(chart) : svgOf(build, chart.getWidth(), chart.getHeight(), zoomOf(chart));
    leave(picture, `${name}.${form}`);
  };
  return (
    <>
      <div ref={box} role="img" aria-label={label} style={{ height }} className="w-full" />
      <SaveAs what={label} save={save} />
    </>
  );
}
