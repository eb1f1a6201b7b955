import { DataTable } from "../../parts/DataTable";
import { bound, duration } from "../../words";
import { claim, type Weighing } from "./plan";

/** The three runs of each class beside what is true of many builds. */
export function Runs({ o }: { o: Weighing }) {
  return (
    <>
      <DataTable
        name={`${o.scenario}-runs`}
        rows={o.classes}
        rowKey={(v) => v.class || "all"}
        columns={[
          { title: "class", value: (v) => v.class || "all" },
          {
            title: "without",
            right: true,
            value: (v) => v.withoutNs / 1e9,
            show: (v) => duration(v.withoutNs),
          },
          {
            title: "filling",
            right: true,
            value: (v) => v.fillingNs / 1e9,
            show: (v) => duration(v.fillingNs),
          },
          { title: "using", right: true, value: (v) => v.usingNs / 1e9, show: (v) => duration(v.usingNs) },
          { title: "using against filling", right: true, value: (v) => v.usual, show: (v) => claim(v.usual) },
          ...["every-all", "changed-trunk", o.best]
            .filter((k, i, all) => k !== "none" && all.indexOf(k) === i)
            .map((key) => ({
              title: `true of ${key}`,
              right: true,
              value: (v: Weighing["classes"][0]) => v.truths.find((t) => t.key === key)?.saves ?? 0,
              show: (v: Weighing["classes"][0]) => claim(v.truths.find((t) => t.key === key)?.saves ?? 0),
            })),
        ]}
      />
      {o.classes[0]?.words && <p className="mt-2 max-w-4xl">{bound(o.classes[0].words)}</p>}
    </>
  );
}
