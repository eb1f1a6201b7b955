import type { Work } from "../api/client";
import { count, duration, here, money } from "../words";
import type { Column } from "./DataTable";

const sum = (o: Work) => o.simulation?.summary;

/** The columns that every list of outcomes ends with. */
export const outcomeColumns: Column<Work>[] = [
  {
    title: "95 % start within",
    right: true,
    value: (o) => sum(o)?.p95DelayNs ?? 0,
    show: (o) => {
      const p95 = sum(o)?.p95DelayNs;
      return p95 ? duration(p95) : "–";
    },
  },
  {
    title: "wrong for good",
    right: true,
    value: (o) => sum(o)?.wrong ?? 0,
    show: (o) => {
      const s = sum(o);
      return s ? count(Math.round(s.wrong)) : "–";
    },
  },
  {
    title: "a month",
    right: true,
    value: (o) => sum(o)?.costPerMonth ?? 0,
    show: (o) => {
      const s = sum(o);
      return s ? money(s.costPerMonth, s.currency) : "–";
    },
  },
  { title: "asked", value: (o) => o.asked, show: (o) => here(o.asked) },
];
