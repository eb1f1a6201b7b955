import type { Schemas } from "./api/client";

type Figure = Schemas["Figure"];

const NS = 1e9;

export { delayPhases, phaseMeaning, phases, results, useNames } from "./words.gen";

/** fixed writes a number with some decimals; what lies in the middle goes to the even one, as in the service. */
function fixed(x: number, digits: number): string {
  const scaled = x * 10 ** digits;
  if (Math.abs(scaled % 1) !== 0.5) return x.toFixed(digits);
  return ((2 * Math.round(scaled / 2)) / 10 ** digits).toFixed(digits);
}

/** trimmed leaves out the zeros behind a decimal point, and the point with them. */
const trimmed = (s: string) => (s.includes(".") ? s.replace(/\.?0+$/, "") : s);

/** duration writes nanoseconds for reading, to about three digits, as the service and the command line do. */
export function duration(ns: number): string {
  const s = ns / NS;
  const a = Math.abs(ns);
  const sign = ns < 0 ? "-" : "";
  const two = (n: number) => String(n).padStart(2, "0");
  if (a < 0.5) return "0 s";
  if (a < 1e6) return `${fixed(ns / 1e3, 0)} µs`;
  if (a < 999.5e6) return `${fixed(ns / 1e6, 0)} ms`;
  if (a < 9.995e9) return `${trimmed(fixed(s, 2))} s`;
  if (a < 99.95e9) return `${trimmed(fixed(s, 1))} s`;
  if (a < 3599.5e9) {
    const whole = Math.round(Math.abs(s));
    return `${sign}${Math.floor(whole / 60)} min ${two(whole % 60)} s`;
  }
  if (a < 360_000e9) {
    const m = Math.round(Math.abs(s) / 60);
    return `${sign}${Math.floor(m / 60)} h ${two(m % 60)} min`;
  }
  return `${fixed(s / 86_400, 1)} d`;
}

/** money writes an amount in the currency's main unit. */
export function money(amount: number, currency: string): string {
  return `${currency} ${likeMoney(amount, amount)}`.trim();
}

/** likeMoney writes an amount with as many decimals as another. */
export function likeMoney(amount: number, other: number): string {
  const a = Math.abs(other);
  const digits = a === 0 || a >= 1000 ? 0 : a < 0.1 ? 4 : 2;
  return amount.toLocaleString("en-GB", { minimumFractionDigits: digits, maximumFractionDigits: digits });
}

export const count = (n: number) => Math.round(n).toLocaleString("en-GB");

/** few writes a mean of counts: one decimal where there are few. */
export const few = (n: number) => (n < 10 && !Number.isInteger(n) ? n.toFixed(1) : count(n));

export const percent = (share: number, digits = 0) => `${(share * 100).toFixed(digits)} %`;

/** bytes writes an amount in binary units, as the service and the command line do. */
export function bytes(n: number): string {
  const units = ["B", "KiB", "MiB", "GiB", "TiB", "PiB"];
  let at = 0;
  let x = n;
  while (Math.abs(x) >= 1024 && at < units.length - 1) {
    x /= 1024;
    at++;
  }
  return at === 0 ? `${Math.round(x)} B` : `${trimmed(fixed(x, 1))} ${units[at]}`;
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
      return Number.isInteger(x) || Math.abs(x) >= 1000 ? count(x) : x.toFixed(1);
  }
}

/** reach is half the width of the wider of a figure's intervals: for weeks like the recorded one, where it is known. */
export const reach = (f: Figure) => Math.max(f.half, f.alike ?? 0);

/** inOne writes a figure with one decimal, and its interval where that shows. */
export const inOne = (f: Figure) =>
  `${oneDecimal(f.mean)}${reach(f) >= 0.05 ? ` ± ${oneDecimal(reach(f))}` : ""}`;

/** oneDecimal writes a number with one decimal. */
export const oneDecimal = (x: number) =>
  x.toLocaleString("en-GB", { minimumFractionDigits: 1, maximumFractionDigits: 1 });

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

/** here writes a point in time in the reader's own zone, as everywhere: 2026-11-30 09:07:49 (Swedish has this form). */
export const here = (at: string) => new Date(at).toLocaleString("sv-SE");

/** hereDay writes its day: 2026-11-30. */
export const hereDay = (at: string) => here(at).slice(0, 10);

/** day writes the day of a point in time, in the zone that it comes in: 30 Nov. */
export const day = (iso: string, more: Intl.DateTimeFormatOptions = {}) =>
  new Date(`${iso.slice(0, 10)}T12:00:00Z`).toLocaleDateString("en-GB", {
    day: "numeric",
    month: "short",
    timeZone: "UTC",
    ...more,
  });

/** asWritten writes a point in time to the minute, in the zone that it comes in. */
export const asWritten = (iso: string) => iso.slice(0, 16).replace("T", " ");
