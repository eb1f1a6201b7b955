import type { Work } from "../api/client";
import { count, duration, here, money } from "../words";
import type { Column } from "./DataTable";
import { Asked } from "./Why";

const sum = (o?: Work) => o?.simulation?.summary;

const written = {
  "delay-p95": (o?: Work) => (sum(o)?.p95DelayNs ? duration(sum(o)?.p95DelayNs ?? 0) : ""),
  wrong: (o?: Work) => (sum(o) ? count(Math.round(sum(o)?.wrong ?? 0)) : ""),
  "cost-month": (o?: Work) => (sum(o) ? money(sum(o)?.costPerMonth ?? 0, sum(o)?.currency ?? "") : ""),
  "cost-year": (o?: Work) => (sum(o) ? money(12 * (sum(o)?.costPerMonth ?? 0), sum(o)?.currency ?? "") : ""),
};

/** A figure of an outcome in a list, which can be asked why; a dash where there is none. */
export function ListedFigure({ o, which }: { o?: Work; which: keyof typeof written }) {
  const text = written[which](o);
  if (!o || text === "") return "–";
  return (
    <Asked of={`metric/${which}`} outcome={o.id}>
      {text}
    </Asked>
  );
}

/** The columns that every list of outcomes ends with. */
export const outcomeColumns: Column<Work>[] = [
  {
    title: "95 % start within",
    right: true,
    value: (o) => sum(o)?.p95DelayNs ?? 0,
    show: (o) => <ListedFigure o={o} which="delay-p95" />,
  },
  {
    title: "wrong for good",
    right: true,
    value: (o) => sum(o)?.wrong ?? 0,
    show: (o) => <ListedFigure o={o} which="wrong" />,
  },
  {
    title: "a month",
    right: true,
    value: (o) => sum(o)?.costPerMonth ?? 0,
    show: (o) => <ListedFigure o={o} which="cost-month" />,
  },
  { title: "asked", value: (o) => o.asked, show: (o) => here(o.asked) },
];
