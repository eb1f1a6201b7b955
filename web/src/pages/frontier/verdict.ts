import type { Schemas } from "../../api/client";
import { duration, money, percent } from "../../words";

export type Answer = Schemas["Answer"];
export type Variant = Schemas["Variant"];
type Reading = Schemas["Reading"];
type Asked = Schemas["Asked"];

/** worst is the gravest verdict of readings; of none it is kept. */
export function worst(list: Reading[]): "kept" | "missed" | "not decided" {
  if (list.some((r) => r.verdict === "missed")) return "missed";
  return list.some((r) => r.verdict === "not decided") ? "not decided" : "kept";
}

/** verdicts says it of all aims, or which of them are not kept. */
export function verdicts(list: Reading[]): string {
  if (list.every((r) => r.verdict === "kept")) return "kept";
  const say = (verdict: string) => {
    const which = list.flatMap((r, i) => (r.verdict === verdict ? [i + 1] : []));
    if (which.length === 0) return [];
    return [list.length > 1 ? `${verdict} ${which.join(", ")}` : verdict];
  };
  return [...say("missed"), ...say("not decided")].join("; ");
}

/** reads writes what runs say of an aim, with its interval. */
export function reads(a: Asked, r: Reading, currency: string): string {
  if (r.nobody) return "no job came that it is about";
  if (r.on) return `${reads(a, { ...r, on: undefined }, currency)} with ${r.on}`;
  const half = (says: string) => (r.runs < 2 ? "" : ` ± ${says}`);
  switch (a.kind) {
    case "share":
      return `${percent(r.is, 2)}${half((100 * r.half).toFixed(2))}`;
    case "mean":
      return `${duration(r.is)}${half(duration(r.half))}`;
    case "bill":
      return `${money(r.is, currency)}${half(money(r.half, currency))} a month`;
    default:
      return `${Number(r.is.toPrecision(3))} jobs a run`;
  }
}
