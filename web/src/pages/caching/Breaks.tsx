import { useCallback } from "react";
import type { Schemas } from "../../api/client";
import Chart, { look, type Option } from "../../parts/Chart";
import { DataTable } from "../../parts/DataTable";
import { useAddress } from "../../parts/useAddress";
import { duration } from "../../words";
import { planColours, quantityText } from "./plan";

type Surface = Schemas["Surface"];

/** What a build takes along each quantity, and a map of which plan is best where. */
export function Breaks({ s }: { s: Surface }) {
  const { query, instead } = useAddress();
  const along =
    s.curves.find((c) => c.quantity === query.get("along")) ??
    s.curves.find((c) => c.quantity === s.x.quantity) ??
    s.curves[0];
  const build = useCallback((): Option => {
    const { line, ink, tooltip, legend } = look();
    if (!along) return {};
    const top = (2.4 * Math.max(...(along.ns[0] ?? [1]))) / 1e9;
    return {
      grid: { left: 56, right: 16, top: 16, bottom: 84 },
      legend,
      tooltip: {
        ...tooltip,
        formatter: (p: { seriesName: string; value: [number, number] }) =>
          `${p.seriesName}: ${duration(p.value[1] * 1e9)} of a build at ${quantityText(along.unit, p.value[0])}`,
      },
      xAxis: {
        type: "log",
        min: along.values[0],
        max: along.values.at(-1),
        axisLabel: { color: ink, hideOverlap: true, formatter: (v: number) => quantityText(along.unit, v) },
        splitLine: { show: false },
        axisLine: { lineStyle: { color: line } },
      },
      yAxis: {
        type: "value",
        min: 0,
        max: Math.ceil(top),
        name: "",
        axisLabel: { color: ink, showMaxLabel: false, formatter: (v: number) => `${v} s` },
        splitLine: { lineStyle: { color: line } },
      },
      series: s.plans.map((p, i) => ({
        name: p.key === "none" ? "no cache" : p.key,
        type: "line",
        symbolSize: 6,
        symbol: "circle",
        color: planColours[i],
        lineStyle: { width: i === 0 ? 2.5 : 1.8, type: i === 0 ? "dashed" : "solid" },
        data: along.values.map((x, k) => [x, (along.ns[i]?.[k] ?? 0) / 1e9]),
        ...(i === 0 &&
          along.today > 0 && {
            markLine: {
              silent: true,
              symbol: "none",
              lineStyle: { color: ink, type: "dotted" },
              label: { formatter: "today", color: ink },
              data: [{ xAxis: along.today }],
            },
          }),
      })),
    };
  }, [along, s.plans]);
  return (
    <>
      <div className="grid grid-cols-1 gap-8 lg:grid-cols-2">
        <div>
          <label className="flex items-center gap-2 text-sm">
            what the workspace takes of a build, by
            <select
              id="along"
              className="select select-sm w-auto"
              value={along?.quantity}
              onChange={(e) => instead({ along: e.target.value })}
            >
              {s.curves.map((c) => (
                <option key={c.quantity} value={c.quantity}>
                  {c.label}
                </option>
              ))}
            </select>
          </label>
          <Chart
            build={build}
            height={330}
            label="what a build takes along a quantity; a table of break-evens follows"
          />
        </div>
        <Terrain s={s} />
      </div>
      <DataTable
        name={`${s.class}-break-even`}
        rows={s.curves}
        rowKey={(c) => c.quantity}
        columns={[
          { title: "breaks even at", value: (c) => c.label },
          { title: "today", right: true, value: (c) => c.today, show: (c) => quantityText(c.unit, c.today) },
          ...s.plans.slice(1).map((p) => ({
            title: p.key,
            right: true,
            value: (c: Surface["curves"][0]) => p.breakEvens.find((b) => b.quantity === c.quantity)?.at ?? 0,
            show: (c: Surface["curves"][0]) => {
              const b = p.breakEvens.filter((v) => v.quantity === c.quantity);
              return b.length > 0 ? b.map((v) => quantityText(c.unit, v.at)).join(", ") : "–";
            },
          })),
        ]}
      />
      <p className="mt-1 max-w-4xl text-sm opacity-80">{s.how}</p>
    </>
  );
}

/** The map: which plan takes a build the least, by two quantities, with today's point. */
function Terrain({ s }: { s: Surface }) {
  const cols = s.x.values.length;
  const rows = s.y.values.length;
  const place = (list: number[], at: number) => {
    const [low, high] = [list[0] ?? 1, list.at(-1) ?? 1];
    return ((Math.log(at / low) / Math.log(high / low)) * (list.length - 1) + 0.5) / list.length;
  };
  const used = [...new Set(s.map.flat())].sort();
  const name = (i: number) => s.plans[i]?.label ?? "";
  return (
    <figure>
      <figcaption className="mb-2 text-sm">
        the plan that takes a build the least, by {s.x.label} (across) and {s.y.label} (up)
      </figcaption>
      <div className="grid grid-cols-[4.5rem_minmax(0,1fr)] gap-x-2">
        <div className="flex flex-col-reverse justify-between py-1 text-right text-xs">
          {[0, Math.floor(rows / 2), rows - 1].map((i) => (
            <span key={i}>{quantityText(s.y.unit, s.y.values[i] ?? 0)}</span>
          ))}
        </div>
        <div
          className="relative"
          role="img"
          aria-label={`map of the best plan; today ${s.x.label} is ${quantityText(s.x.unit, s.x.today)} and ${s.y.label} ${quantityText(s.y.unit, s.y.today)}`}
        >
          <div className="grid" style={{ gridTemplateColumns: `repeat(${cols}, minmax(0, 1fr))` }}>
            {Array.from({ length: rows }, (_, k) => rows - 1 - k).flatMap((y) =>
              s.map[y]?.map((plan, x) => (
                <span
                  key={`${s.x.values[x]}-${s.y.values[y]}`}
                  className="h-6"
                  style={{ background: planColours[plan] }}
                  title={`${quantityText(s.x.unit, s.x.values[x] ?? 0)}, ${quantityText(s.y.unit, s.y.values[y] ?? 0)}: ${name(plan)}, ${s.gain[y]?.[x]?.toFixed(1)} s less than no cache`}
                />
              )),
            )}
          </div>
          {s.x.today > 0 && s.y.today > 0 && (
            <span
              className="absolute flex items-center gap-1 font-semibold text-white text-xs"
              style={{
                left: `calc(${100 * place(s.x.values, s.x.today)}% - 6px)`,
                bottom: `calc(${100 * place(s.y.values, s.y.today)}% - 8px)`,
              }}
            >
              <span className="block size-3 rounded-full border-2 border-white bg-black" /> today
            </span>
          )}
        </div>
        <span />
        <div className="flex justify-between text-xs">
          {[0, Math.floor(cols / 2), cols - 1].map((i) => (
            <span key={i}>{quantityText(s.x.unit, s.x.values[i] ?? 0)}</span>
          ))}
        </div>
      </div>
      <ul className="mt-2 flex flex-wrap gap-x-4 gap-y-1 text-sm">
        {used.map((i) => (
          <li key={i} className="flex items-center gap-1.5">
            <span className="inline-block size-3" style={{ background: planColours[i] }} /> {name(i)}
          </li>
        ))}
      </ul>
    </figure>
  );
}
