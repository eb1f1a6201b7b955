import type { Work } from "../api/client";
import { count, duration, here, money } from "../words";
import type { Column } from "./DataTable";
import { verdictInk } from "./verdictInk";
import { Asked } from "./Why";

const sum = (o?: Work) => o?.simulation?.summary;

type Summary = NonNullable<ReturnType<typeof sum>>;

/** How figures are written, by the name that Compare has for them. */
const written = {
  "delay-p95": (s: Summary) => (s.p95DelayNs ? duration(s.p95DelayNs) : ""),
  wrong: (s: Summary) => count(Math.round(s.wrong)),
  "cost-month": (s: Summary) => money(s.costPerMonth, s.currency),
  "cost-year": (s: Summary) => money(12 * s.costPerMonth, s.currency),
};

/** A figure of an outcome in a list, which can be asked why; a dash where there is none. */
export function ListedFigure({ o, which }: { o?: Work; which: keyof typeof written }) {
  const s = sum(o);
  const text = s && written[which](s);
  if (!o || !text) return "–";
  return (
    <Asked of={`metric/${which}`} outcome={o.id}>
      {text}
    </Asked>
  );
}

/** How an outcome stands with the aims of its scenario; a dash where it has none. */
export function Verdict({ o }: { o?: Work }) {
  const s = sum(o);
  if (!s?.aims) return "–";
  return (
    <span title={s.judged} className={`whitespace-nowrap ${verdictInk(s.aims)}`}>
      {s.aims}
    </span>
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
  { title: "aims", value: (o) => sum(o)?.aims ?? "", show: (o) => <Verdict o={o} /> },
  { title: "asked", value: (o) => o.asked, show: (o) => here(o.asked) },
];
