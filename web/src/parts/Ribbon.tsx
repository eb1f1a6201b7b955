import { delayPhases, phases } from "../words";
import { Bar, Key, type Segment } from "./Bar";

/** byPhase makes segments of the phases that are there. */
export const byPhase = (ns: number[]): Segment[] =>
  ns.flatMap((x, i) => {
    const phase = phases[i];
    return phase && x > 0 ? [{ key: phase, name: phase, ns: x, colour: `var(--phase-${phase})` }] : [];
  });

/** A job's time cut into phases, drawn as one bar; `whole` is what full width stands for. */
export const Ribbon = (p: { ns: number[]; whole: number; label: string; tall?: boolean }) => (
  <Bar list={byPhase(p.ns)} whole={p.whole} label={p.label} tall={p.tall} />
);

/** onlyDelay keeps the phases before a job's own first step. */
export const onlyDelay = (ns: number[]) => ns.map((x, i) => (i < delayPhases ? x : 0));

/** The names of the phases that are there, with their times. */
export const Legend = ({ ns, times }: { ns: number[]; times?: boolean }) => (
  <Key list={byPhase(ns)} times={times} />
);
