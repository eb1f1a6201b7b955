import type { Schemas } from "../api/client";
import { phases } from "../words";
import type { Segment } from "./Bar";

const partNames: Record<Schemas["WorkPart"]["cause"], string> = {
  work: "work",
  cold: "cold work",
  leftovers: "what earlier jobs left",
  tool: "waiting for a boot tool",
  fetch: "waiting for the network",
  stretch: "stretch",
  lost: "lost attempts",
  rerun: "waiting to run again",
};

/** What a group's mean job spends its time on: the phases, with work told apart. */
export function leadOf(g: Schemas["Group"]): Segment[] {
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

/** inOrder sorts segments as ribbons have them. */
export function inOrder(list: Segment[]): Segment[] {
  const parts = Object.keys(partNames).map((c) => `work-${c}`);
  const order = phases.flatMap((p) => (p === "work" ? parts : [p]));
  return list.toSorted((a, b) => order.indexOf(a.key) - order.indexOf(b.key));
}
