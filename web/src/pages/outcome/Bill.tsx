import type { Schemas } from "../../api/client";
import { DataTable } from "../../parts/DataTable";
import { Asked } from "../../parts/Why";
import { inUnit, likeMoney, money, percent, plusMinus, useNames } from "../../words";
import { Spent } from "./Spent";

type Result = Schemas["Outcome"];
type Figure = Result["cost"]["perMonth"];

/** What is paid, by pool and by what the node time went to. */
export function Bill({ o }: { o: Result }) {
  const c = o.cost;
  const any = (o.groups[0]?.jobs.mean ?? 0) > 0;
  const row = (
    what: string,
    amount: Figure,
    more?: { share?: string; strong?: boolean; inset?: boolean; of?: string },
  ) => ({
    what,
    amount,
    of: "",
    share: "",
    strong: false,
    inset: false,
    ...more,
  });
  const always = c.alwaysOn;
  const rows = [
    ...c.pools
      .filter((p) => p.perMonth.mean > 0)
      .map((p) =>
        row(`pool ${p.pool}, ${p.nodes.mean.toFixed(1)} nodes of ${p.nodeType}`, p.perMonth, {
          of: `bill/pool/${p.pool}`,
        }),
      ),
    ...c.uses
      .filter((u) => u.perMonth.mean > 0)
      .map((u) =>
        row(useNames[u.use] ?? u.use, u.perMonth, {
          share: percent(u.share, 1),
          inset: true,
          of: `bill/use/${u.use}`,
        }),
      ),
    ...c.parts.map((p) => row(p.part, p.perMonth, { of: `bill/part/${p.part}` })),
    row("all that is paid", c.perMonth, { strong: true, of: "bill/all" }),
    ...(always
      ? [
          row(`its ${inUnit("count", always.nodes.mean, "")} nodes, always on`, always.allPerMonth),
          row("those off outside working hours", always.inHoursPerMonth, { inset: true }),
        ]
      : []),
    ...(c.floorPerMonth.mean > 0
      ? [row("floor under it: no bill is below", c.floorPerMonth, { of: "bill/floor" })]
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
                {r.of ? <Asked of={r.of}>{money(r.amount.mean, "")}</Asked> : money(r.amount.mean, "")}{" "}
                {plusMinus(r.amount, (x) => likeMoney(x, r.amount.mean))}
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
        {any && (
          <>
            <Asked of="bill/job">{money(c.perJob.mean, c.currency)}</Asked> a job
            {c.floorPerMonth.mean > 0 && "; "}
          </>
        )}
        {c.floorPerMonth.mean > 0 && `the bill is ${c.timesFloor.mean.toFixed(1)} times its floor`}.
        {any &&
          c.alwaysOn &&
          ` ${percent(c.alwaysOn.outside, 0)} of the jobs come outside ${c.alwaysOn.hours}: with agents off they wait until then.`}
        {c.waitingPerMonth.mean > 0 &&
          ` People's waiting is worth ${money(c.waitingPerMonth.mean, c.currency)} a month; nobody is billed for it.`}
      </p>
    </>
  );
}
