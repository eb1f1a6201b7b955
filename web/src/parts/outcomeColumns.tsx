import type { Schemas } from "../api/client";
import { count, duration, money } from "../words";
import type { Column } from "./DataTable";

type Brief = Schemas["OutcomeBrief"];

/** The columns that every list of outcomes ends with. */
export const outcomeColumns: Column<Brief>[] = [
  {
    title: "95 % start within",
    right: true,
    value: (o) => o.summary?.p95DelayNs ?? 0,
    show: (o) => (o.summary?.p95DelayNs ? duration(o.summary.p95DelayNs) : "–"),
  },
  {
    title: "wrong for good",
    right: true,
    value: (o) => o.summary?.wrong ?? 0,
    show: (o) => (o.summary ? count(Math.round(o.summary.wrong)) : "–"),
  },
  {
    title: "a month",
    right: true,
    value: (o) => o.summary?.costPerMonth ?? 0,
    show: (o) => (o.summary ? money(o.summary.costPerMonth, o.summary.currency) : "–"),
  },
  { title: "asked", value: (o) => o.asked, show: (o) => new Date(o.asked).toLocaleString("en-GB") },
];
