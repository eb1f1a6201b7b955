import type { Schemas } from "./api/client";

type Figure = Schemas["Figure"];

const NS = 1e9;

/** duration writes nanoseconds for reading, to about three digits. */
export function duration(ns: number): string {
  const s = ns / NS;
  const a = Math.abs(s);
  if (a === 0) return "0 s";
  if (a < 0.0095) return `${(s * 1000).toFixed(1)} ms`;
  if (a < 0.9995) return `${(s * 1000).toFixed(0)} ms`;
  if (a < 99.95) return `${s.toFixed(1)} s`;
  if (a < 3599.5) {
    const whole = Math.round(a);
    if (a % 60 === 0) return `${s / 60} min`;
    return `${s < 0 ? "−" : ""}${Math.floor(whole / 60)} min ${String(whole % 60).padStart(2, "0")} s`;
  }
  if (a < 360_000) {
    const m = Math.round(a / 60);
    return `${s < 0 ? "−" : ""}${Math.floor(m / 60)} h ${String(m % 60).padStart(2, "0")} min`;
  }
  return `${(s / 86_400).toFixed(1)} d`;
}

/** money writes an amount in the currency's main unit. */
export function money(amount: number, currency: string): string {
  return `${currency} ${likeMoney(amount, amount)}`.trim();
}

/** likeMoney writes an amount with as many decimals as another. */
export function likeMoney(amount: number, other: number): string {
  const a = Math.abs(other);
  const digits = a === 0 ? 0 : a < 0.1 ? 4 : a < 100 ? 2 : 0;
  return amount.toLocaleString("en-GB", { minimumFractionDigits: digits, maximumFractionDigits: digits });
}

export const count = (n: number) => Math.round(n).toLocaleString("en-GB");

export const percent = (share: number, digits = 0) => `${(share * 100).toFixed(digits)} %`;

/** bytes writes an amount in binary units, to about three digits. */
export function bytes(n: number): string {
  const units = ["B", "KiB", "MiB", "GiB", "TiB", "PiB"];
  let at = 0;
  let x = n;
  while (x >= 1024 && at < units.length - 1) {
    x /= 1024;
    at++;
  }
  return `${x >= 99.95 || x === Math.round(x) ? x.toFixed(0) : x.toFixed(1)} ${units[at]}`;
}

/** bound keeps numbers and their units on one line. */
export const bound = (words: string) =>
  words
    .replace(/(\d) (%|×|[KMGT]iB\b|CPU\b|s\b|min\b|h\b)/g, "$1\u00a0$2")
    .replace(/\b(min|h) (\d\d)\b/g, "$1\u00a0$2");

/** amount reads a quantity as Kubernetes writes it: cores, or bytes. */
export function amount(quantity: string | number): number {
  const m = /^([0-9.]+)(m|[KMGTPE]i?)?$/.exec(String(quantity));
  if (!m) return Number.NaN;
  const x = Number(m[1]);
  const unit = m[2] ?? "";
  if (unit === "m") return x / 1000;
  const power = "KMGTPE".indexOf(unit[0] ?? "?") + 1;
  return unit === "" ? x : x * (unit.endsWith("i") ? 1024 : 1000) ** power;
}

/** times writes a stretch. */
export const times = (x: number, digits = 2) => (x > 0 ? `${x.toFixed(digits)} ×` : "–");

/** signed writes a difference with its sign. */
export const signed = (x: number, write: (x: number) => string) =>
  `${x > 0 ? "+" : x < 0 ? "−" : ""}${write(Math.abs(x))}`;

/** inUnit writes a number in a metric's unit. */
export function inUnit(unit: string, x: number, currency: string): string {
  switch (unit) {
    case "ns":
      return duration(x);
    case "money":
      return money(x, currency);
    case "share":
      return percent(x, 1);
    case "ratio":
      return `${x.toFixed(1)} ×`;
    default:
      return x.toFixed(1);
  }
}

/** reach is half the width of the wider of a figure's intervals: for weeks like the recorded one, where it is known. */
export const reach = (f: Figure) => Math.max(f.half, f.alike ?? 0);

/** inOne writes a figure with one decimal, and its interval where that shows. */
export const inOne = (f: Figure) =>
  `${f.mean.toFixed(1)}${reach(f) >= 0.05 ? ` ± ${reach(f).toFixed(1)}` : ""}`;

/** plusMinus writes the half-width of a figure's interval, or nothing. */
export function plusMinus(f: Figure, write: (x: number) => string): string {
  return reach(f) > 0 ? `± ${write(reach(f))}` : "";
}

/** moment writes a point in time in a zone. */
export function moment(iso: string, zone: string): string {
  return new Intl.DateTimeFormat("en-GB", {
    weekday: "short",
    day: "2-digit",
    month: "short",
    hour: "2-digit",
    minute: "2-digit",
    second: "2-digit",
    timeZone: zone,
  }).format(new Date(iso));
}

export const phases = [
  "held",
  "placing",
  "node",
  "image",
  "setup",
  "join",
  "restore",
  "work",
  "save",
  "wipe",
] as const;

/** What a job waits for in each phase. */
export const phaseMeaning: Record<string, string> = {
  held: "waiting for the controller",
  placing: "waiting for room on nodes",
  node: "waiting for a node to boot",
  image: "pulling and unpacking images",
  setup: "starting containers",
  join: "agent reaching the controller",
  restore: "workspace cache coming in",
  work: "the job itself",
  save: "workspace cache going out",
  wipe: "cleaning up",
};

/** delayPhases is how many of the phases come before a job's own first step. */
export const delayPhases = 6;

/** What node time goes to, from the useful to the empty. */
export const useNames: Record<string, string> = {
  work: "agents at work",
  start: "agents starting",
  lost: "attempts cut short",
  idle: "agents idle",
  stranded: "room too small for any agent",
  empty: "empty room, nodes booting",
};
