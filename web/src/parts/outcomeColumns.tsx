import type { Schemas } from "../api/client";
import { duration, money } from "../words";
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
    title: "a month",
    right: true,
    value: (o) => o.summary?.costPerMonth ?? 0,
    show: (o) => (o.summary ? money(o.summary.costPerMonth, o.summary.currency) : "–"),
  },
  { title: "asked", value: (o) => o.asked, show: (o) => new Date(o.asked).toLocaleString("en-GB") },
];
