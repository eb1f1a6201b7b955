import { delayPhases, duration, phaseMeaning, phases } from "../words";

/** A job's time cut into phases, drawn as one bar; `whole` is what full width stands for. */
export function Ribbon({
  ns,
  whole,
  label,
  tall = false,
}: {
  ns: number[];
  whole: number;
  label: string;
  tall?: boolean;
}) {
  const total = ns.reduce((a, b) => a + b, 0);
  const width = whole > 0 ? Math.min(100, (total / whole) * 100) : 0;
  const words = ns.map((x, i) => (x > 0 ? `${phases[i]} ${duration(x)}` : "")).filter(Boolean);
  return (
    <div className={`w-full bg-base-200 ${tall ? "h-7" : "h-4"}`} title={words.join(" · ")}>
      <div
        role="img"
        aria-label={`${label}: ${words.join(", ") || "nothing"}`}
        className="flex h-full"
        style={{ width: `${width}%`, minWidth: total > 0 ? 3 : 0 }}
      >
        {ns.map((x, i) =>
          x > 0 ? (
            <div
              key={phases[i]}
              className="h-full min-w-px"
              style={{ flexGrow: x / total, background: `var(--phase-${phases[i]})` }}
            />
          ) : null,
        )}
      </div>
    </div>
  );
}

/** onlyDelay keeps the phases before a job's own first step. */
export const onlyDelay = (ns: number[]) => ns.map((x, i) => (i < delayPhases ? x : 0));

/** The names of the phases that are there, with their times. */
export function Legend({ ns, times = true }: { ns: number[]; times?: boolean }) {
  return (
    <ul className="flex flex-wrap gap-x-4 gap-y-1 text-sm">
      {ns.map((x, i) =>
        x > 0 ? (
          <li key={phases[i]} className="flex items-center gap-1.5" title={phaseMeaning[phases[i] ?? ""]}>
            <span className="inline-block size-3" style={{ background: `var(--phase-${phases[i]})` }} />
            {phases[i]}
            {times && <span className="opacity-75">{duration(x)}</span>}
          </li>
        ) : null,
      )}
    </ul>
  );
}
