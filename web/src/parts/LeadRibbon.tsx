import type { Schemas } from "../api/client";
import { duration, phaseMeaning, phases } from "../words";

type Group = Schemas["Group"];

export interface Segment {
  key: string;
  name: string;
  ns: number;
  colour: string;
}

/** What a group's mean job spends its time on: the phases, with work told apart. */
export function segments(g: Group): Segment[] {
  const out: Segment[] = [];
  g.ribbonNs.forEach((f, i) => {
    const phase = phases[i] ?? "";
    if (phase !== "work") {
      out.push({ key: phase, name: phase, ns: f.mean, colour: `var(--phase-${phase})` });
      return;
    }
    for (const w of g.workParts)
      out.push({
        key: `work-${w.cause}`,
        name: partNames[w.cause],
        ns: w.ns.mean,
        colour: `var(--work-${w.cause})`,
      });
  });
  return out.filter((s) => s.ns > 0);
}

const partNames: Record<Schemas["WorkPart"]["cause"], string> = {
  work: "work",
  cold: "cold work",
  stretch: "stretch",
  lost: "lost attempts",
  rerun: "waiting to run again",
};

const partMeaning: Record<string, string> = {
  work: "the job's own work",
  "cold work": "work that a warm cache would have spared",
  stretch: "CPU that the job wanted and did not get",
  "lost attempts": "attempts that were cut short",
  "waiting to run again": "an agent for the next attempt",
};

/** inOrder sorts segments as ribbons have them. */
export function inOrder(list: Segment[]): Segment[] {
  const parts = Object.keys(partNames).map((c) => `work-${c}`);
  const order = phases.flatMap((p) => (p === "work" ? parts : [p]));
  return list.toSorted((a, b) => order.indexOf(a.key) - order.indexOf(b.key));
}

/** A mean job's whole time as one bar; `whole` is what full width stands for. */
export function LeadRibbon({ list, whole, label }: { list: Segment[]; whole: number; label: string }) {
  const total = list.reduce((a, s) => a + s.ns, 0);
  const words = list.map((s) => `${s.name} ${duration(s.ns)}`);
  return (
    <div className="h-7 w-full bg-base-200" title={words.join(" · ")}>
      <div
        role="img"
        aria-label={`${label}: ${words.join(", ") || "nothing"}`}
        className="flex h-full"
        style={{ width: `${whole > 0 ? Math.min(100, (100 * total) / whole) : 0}%` }}
      >
        {list.map((s) => (
          <div
            key={s.key}
            className="h-full min-w-px"
            style={{ flexGrow: s.ns / total, background: s.colour }}
          />
        ))}
      </div>
    </div>
  );
}

/** The names of the segments that are there, with their times. */
export function SegmentLegend({ list, times = true }: { list: Segment[]; times?: boolean }) {
  return (
    <ul className="flex flex-wrap gap-x-4 gap-y-1 text-sm">
      {list.map((s) => (
        <li
          key={s.key}
          className="flex items-center gap-1.5"
          title={phaseMeaning[s.name] ?? partMeaning[s.name]}
        >
          <span className="inline-block size-3" style={{ background: s.colour }} />
          {s.name}
          {times && <span className="opacity-75">{duration(s.ns)}</span>}
        </li>
      ))}
    </ul>
  );
}
