import type { Schemas } from "../../api/client";
import type { Segment } from "../../parts/Bar";
import { duration, percent, reach } from "../../words";

export type Weighing = Schemas["Weighing"];
export type Weighed = Schemas["Weighed"];
export type Fared = Schemas["Fared"];

/** planOf finds a plan by its key. */
export const planOf = (o: Weighing, key: string): Weighed =>
  o.plans.find((p) => p.key === key) ?? (o.plans[0] as Weighed);

/** What the workspace takes of a build. */
export const carried = (f: Fared): Segment[] =>
  [
    { key: "pull", name: "pulling what is baked", ns: f.pullNs.mean, colour: "var(--phase-image)" },
    { key: "restore", name: "restoring", ns: f.restoreNs.mean, colour: "var(--phase-restore)" },
    { key: "cold", name: "cold work", ns: f.coldNs.mean, colour: "var(--work-cold)" },
    { key: "save", name: "saving", ns: f.saveNs.mean, colour: "var(--phase-save)" },
  ].filter((s) => s.ns > 0);

/** claim says what a share of time saved is. */
export const claim = (share: number) =>
  Math.abs(share) < 0.005
    ? "saves nothing"
    : share > 0
      ? `saves ${percent(share)}`
      : `costs ${percent(-share)} more`;

/** apart writes a difference of times with its interval. */
export function apart(f: Schemas["Figure"]): string {
  const a = Math.abs(f.mean);
  const [unit, by] = a >= 108e11 ? ["h", 36e11] : a >= 18e10 ? ["min", 6e10] : ["s", 1e9];
  const sign = f.mean > 0 ? "+" : f.mean < 0 ? "−" : "";
  const half = reach(f) > 0 ? ` ± ${(reach(f) / Number(by)).toFixed(1)}` : "";
  return `${sign}${(a / Number(by)).toFixed(1)}${half} ${unit}`;
}

/** quantityText writes a value of a quantity. */
export function quantityText(unit: string, x: number): string {
  const decimal = (v: number) => {
    const units = ["B", "kB", "MB", "GB", "TB"];
    let at = 0;
    let n = v;
    while (n >= 1000 && at < units.length - 1) {
      n /= 1000;
      at++;
    }
    return `${+n.toPrecision(3)} ${units[at]}`;
  };
  switch (unit) {
    case "bytes":
      return decimal(x);
    case "bytes/s":
      return x > 0 ? `${decimal(x)}/s` : "no limit";
    case "share":
      return `${+(100 * x).toPrecision(2)} %`;
    case "1/day":
      return `${x >= 100 ? Math.round(x).toLocaleString("en-GB") : +x.toPrecision(3)} a day`;
    default:
      return duration(x * 1e9);
  }
}

/** Colours of the plans of curves and the map, in order. */
export const planColours = ["#8a8778", "#d68f24", "#a7542c", "#4c72b0", "#1f7a68", "#7a5c9e"];
