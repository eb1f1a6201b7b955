import { duration, phaseMeaning } from "../words";
import { Word } from "./Words";

/** A part of a time bar. */
export interface Segment {
  key: string;
  name: string;
  ns: number;
  colour: string;
}

/** total adds segments up. */
export const total = (list: Segment[]) => list.reduce((a, s) => a + s.ns, 0);

/** A time cut into segments, drawn as one bar; `whole` is what full width stands for: one that is longer is drawn cut. */
export function Bar({
  list,
  whole,
  label,
  tall = false,
}: {
  list: Segment[];
  whole: number;
  label: string;
  tall?: boolean;
}) {
  const sum = total(list);
  const words = list.map((s) => `${s.name} ${duration(s.ns)}`);
  return (
    <div
      className={`relative w-full overflow-hidden bg-base-200 ${tall ? "h-7" : "h-4"}`}
      title={words.join(" · ")}
    >
      <div
        role="img"
        aria-label={`${label}: ${words.join(", ") || "nothing"}`}
        className="flex h-full"
        style={{ width: `${whole > 0 ? Math.min(100, (100 * sum) / whole) : 0}%`, minWidth: sum > 0 ? 3 : 0 }}
      >
        {list.map((s) => (
          <div
            key={s.key}
            className="h-full min-w-px"
            style={{ flexGrow: s.ns / sum, background: s.colour }}
          />
        ))}
      </div>
      {whole > 0 && sum > 1.001 * whole && (
        <div
          aria-hidden="true"
          data-cut
          className="absolute top-0 right-[6%] h-full w-2 -skew-x-12 border-base-content border-x-2 bg-base-100"
        />
      )}
    </div>
  );
}

/** The names of the segments that are there, with their times. */
export function Key({ list, times = true }: { list: Segment[]; times?: boolean }) {
  return (
    <ul className="flex flex-wrap gap-x-4 gap-y-1 text-sm">
      {list.map((s) => (
        <li key={s.key} className="flex items-center gap-1.5">
          <span className="inline-block size-3" style={{ background: s.colour }} />
          <Word means={phaseMeaning[s.name] ?? partMeaning[s.name]}>{s.name}</Word>
          {times && <span className="opacity-75">{duration(s.ns)}</span>}
        </li>
      ))}
    </ul>
  );
}

const partMeaning: Record<string, string> = {
  "cold work": "work that a warm cache would have saved",
  stretch: "CPU that the job wanted and did not get",
  "lost attempts": "attempts that were cut short",
  "waiting to run again": "an agent for the next attempt",
};
