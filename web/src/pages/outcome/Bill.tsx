import type { Schemas } from "../../api/client";
import { DataTable } from "../../parts/DataTable";
import { inUnit, likeMoney, money, percent, plusMinus, useNames } from "../../words";
import { Spent } from "./Spent";

type Result = Schemas["Outcome"];

/** What is paid, by pool and by what the node time went to. */
export function Bill({ o }: { o: Result }) {
  const c = o.cost;
  const rows = [
    ...c.pools
      .filter((p) => p.perMonth.mean > 0)
      .map((p) => ({
        what: `pool ${p.pool}, ${p.nodes.mean.toFixed(1)} nodes of ${p.nodeType}`,
        amount: p.perMonth,
        share: "",
        strong: false,
        inset: false,
      })),
    ...c.uses
      .filter((u) => u.perMonth.mean > 0)
      .map((u) => ({
        what: useNames[u.use] ?? u.use,
        amount: u.perMonth,
        share: percent(u.share, 1),
        strong: false,
        inset: true,
      })),
    ...c.parts.map((p) => ({ what: p.part, amount: p.perMonth, share: "", strong: false, inset: false })),
    { what: "all that is paid", amount: c.perMonth, share: "", strong: true, inset: false },
    ...(c.alwaysOn
      ? [
          {
            what: `its ${inUnit("count", c.alwaysOn.nodes.mean, "")} nodes, always on`,
            amount: c.alwaysOn.allPerMonth,
            share: "",
            strong: false,
            inset: false,
          },
          {
            what: "those off outside working hours",
            amount: c.alwaysOn.inHoursPerMonth,
            share: "",
            strong: false,
            inset: true,
          },
        ]
      : []),
    ...(c.floorPerMonth.mean > 0
      ? [
          {
            what: "floor under it: no bill is below",
            amount: c.floorPerMonth,
            share: "",
            strong: false,
            inset: false,
          },
        ]
      : []),
  ];
  return (
    <>
      <Spent o={o} />
      <DataTable
        name={`${o.scenario}-bill`}
        rows={rows}
        rowKey={(r) => r.what}
        columns={[
          {
            title: "for",
            value: (r) => r.what,
            show: (r) => (
              <span className={`${r.strong ? "font-semibold" : ""} ${r.inset ? "pl-3 opacity-85" : ""}`}>
                {r.what}
              </span>
            ),
          },
          {
            title: `${c.currency} a month`,
            right: true,
            value: (r) => r.amount.mean,
            show: (r) => (
              <span className={r.strong ? "font-semibold" : ""}>
                {money(r.amount.mean, "")} {plusMinus(r.amount, (x) => likeMoney(x, r.amount.mean))}
              </span>
            ),
          },
          {
            title: "a year",
            right: true,
            value: (r) => 12 * r.amount.mean,
            show: (r) => money(12 * r.amount.mean, ""),
          },
          { title: "of the nodes", right: true, value: (r) => r.share },
        ]}
      />
      <p className="mt-1 text-sm">
        {money(c.perJob.mean, c.currency)} a job
        {c.floorPerMonth.mean > 0 && `; the bill is ${c.timesFloor.mean.toFixed(1)} times its floor`}.
        {c.alwaysOn &&
          ` ${percent(c.alwaysOn.outside, 0)} of the jobs come outside ${c.alwaysOn.hours}: with agents off they wait until then.`}
        {c.waitingPerMonth.mean > 0 &&
          ` People's waiting is worth ${money(c.waitingPerMonth.mean, c.currency)} a month; nobody is billed for it.`}
      </p>
    </>
  );
}
