import { useCallback } from "react";
import type { Schemas } from "../../../api/client";
import Chart, { css, legend, lineKey, look, type Option } from "../../../parts/Chart";
import { amount, bytes, count } from "../../../words";

const GiB = 2 ** 30;

/** How peaks of memory are spread, with the sizes that are spoken of. */
export function Peaks({ of }: { of: Schemas["Advice"] }) {
  const build = useCallback((): Option => {
    const { line, ink, tooltip } = look();
    const bins = of.peaks;
    const most = Math.max(...bins.map((b) => b.runs), 1);
    const width = bins.length > 0 ? (amount(bins[0]?.to ?? 0) - amount(bins[0]?.from ?? 0)) / GiB : 1;
    const mark = (name: string, at: number, colour: string, dashed: boolean, high: number) => ({
      name,
      type: "line",
      symbol: "none",
      silent: true,
      color: colour,
      lineStyle: { width: 2, type: dashed ? "dashed" : "solid" },
      data: [
        [at / GiB, 0],
        [at / GiB, most * high],
      ],
    });
    const marks = [];
    const limit = amount(of.nowLimit.memory);
    const request = amount(of.now.memory);
    const best = amount(of.best.memory);
    if (limit > 0) marks.push(mark(`limit today, ${bytes(limit)}`, limit, ink, true, 1.1));
    if (request > 0 && request !== limit)
      marks.push(mark(`request today, ${bytes(request)}`, request, css("--phase-wipe"), true, 1.1));
    if (amount(of.memory.bound) > 0)
      marks.push(
        mark(
          `${+(100 * of.memory.share).toFixed(2)} % stay below, ${bytes(amount(of.memory.bound))}`,
          amount(of.memory.bound),
          css("--color-warning"),
          false,
          1.05,
        ),
      );
    if (best !== limit && (amount(of.memory.request) > 0 || amount(of.memory.trial) > 0))
      marks.push(
        mark(
          `${amount(of.memory.trial) > 0 ? "to be tried" : "request and limit"}, ${bytes(best)}`,
          best,
          css("--phase-image"),
          false,
          1.1,
        ),
      );
    const bars = (name: string, colour: string, runs: (b: Schemas["Bin"]) => number) => ({
      name,
      type: "bar",
      stack: "runs",
      color: colour,
      barWidth: "86%",
      data: bins.map((b) => [(amount(b.from) + amount(b.to)) / 2 / GiB, runs(b)]),
    });
    return {
      grid: { left: 48, right: 16, top: 12, bottom: 92 },
      legend: legend(ink, [
        { name: "runs", icon: "rect" },
        ...(of.evidence.killed > 0 ? [{ name: "killed runs, which needed more", icon: "rect" }] : []),
        ...marks.map((m) => lineKey(m.name, m.lineStyle.type === "dashed")),
      ]),
      tooltip: {
        ...tooltip,
        formatter: (p: { seriesName: string; value: [number, number] }) =>
          `${(p.value[0] - width / 2).toFixed(1)} to ${(p.value[0] + width / 2).toFixed(1)} GiB: ${count(p.value[1])} ${p.seriesName}`,
      },
      xAxis: {
        type: "value",
        min: 0,
        max: Math.ceil(Math.max(amount(bins.at(-1)?.to ?? 0), best) / GiB),
        name: "peak memory of a run, GiB",
        nameLocation: "middle",
        nameGap: 26,
        nameTextStyle: { color: ink },
        axisLabel: { color: ink },
        splitLine: { show: false },
        axisLine: { lineStyle: { color: line } },
      },
      yAxis: {
        type: "value",
        max: Math.ceil(most * 1.15),
        axisLabel: { color: ink, showMaxLabel: false },
        splitLine: { lineStyle: { color: line } },
      },
      series: [
        bars("runs", css("--phase-work"), (b) => b.runs - b.killed),
        ...(of.evidence.killed > 0
          ? [bars("killed runs, which needed more", css("--color-error"), (b) => b.killed)]
          : []),
        ...marks,
      ],
    };
  }, [of]);
  return <Chart build={build} height={300} label="distribution of peak memory; a table follows" />;
}
