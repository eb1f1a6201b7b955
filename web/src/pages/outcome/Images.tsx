import { useQuery } from "@tanstack/react-query";
import { api, type Schemas, take } from "../../api/client";
import { pullings, pulls } from "../../api/queries/works";
import { Change } from "../../parts/Change";
import { DataTable } from "../../parts/DataTable";
import { OnDemand } from "../../parts/OnDemand";
import { Trouble } from "../../parts/Section";
import { amount, count, duration, inOne, money } from "../../words";

/** What images cost the design, and what lighter or prepulled ones would spare. */
export function Images({ id, scenario }: { id: number; scenario: string }) {
  return (
    <OnDemand
      title="What images cost"
      aside="pulls, what images share, and what would be saved"
      queryKey="pulls"
      list={useQuery(pullings(scenario))}
      mine={(w) => w.pulls?.outcome === id}
      ask={async () => take(await api.POST("/api/v1/pulls", { body: { outcome: id } }))}
      button={{ id: "pulls", says: "Try other images" }}
      about="Simulates it without each of the largest layers, and with the images on nodes before agents need them, on the same draws."
      failed="Trying other images failed"
    >
      {(w) => <Kept id={w.id} />}
    </OnDemand>
  );
}

function Kept({ id }: { id: number }) {
  const found = useQuery(pulls(id));
  if (found.error) return <Trouble error={found.error} />;
  const d = found.data?.result;
  return d ? <Tables id={id} d={d} /> : null;
}

/** size writes bytes as registries tell them. */
function size(bytes: number): string {
  const [unit, by] = bytes >= 1e9 ? ["GB", 1e9] : ["MB", 1e6];
  return `${Number((bytes / by).toPrecision(3))} ${unit}`;
}

const short = (name: string) => name.slice(name.lastIndexOf("/") + 1);

function Tables({ id, d }: { id: number; d: Schemas["Costs"] }) {
  const rows = [
    ...d.layers.flatMap((l) =>
      l.spared
        ? [{ what: `if ${short(l.name)} (${size(amount(l.size))}) weighed nothing`, s: l.spared }]
        : [],
    ),
    ...d.ways.map((w) => ({ what: `images ${w.what}`, s: w.spared })),
  ];
  const wrong = rows.some((r) => r.s.wrong.mean !== 0);
  return (
    <>
      <p className="mb-3 max-w-3xl">
        Jobs start after {duration(d.meanNs.mean)} on average, {duration(d.imageNs.mean)} of it waiting for
        images; nodes bring in {inOne(d.gb)} GB of them in a repeat.
      </p>
      <DataTable
        name={`pulls-${id}-images`}
        rows={d.images}
        rowKey={(x) => x.name}
        columns={[
          {
            title: "image",
            value: (x) => short(x.name),
            show: (x) => <span title={x.name}>{short(x.name)}</span>,
          },
          { title: "for", value: (x) => x.templates.join(", ") },
          { title: "size", right: true, value: (x) => amount(x.size), show: (x) => size(amount(x.size)) },
          { title: "its own", right: true, value: (x) => amount(x.own), show: (x) => size(amount(x.own)) },
          {
            title: "shared with",
            value: (x) =>
              x.shared.map((s) => `${size(amount(s.size))} with ${short(s.with)}`).join(", ") || "–",
          },
          { title: "pulls", right: true, value: (x) => x.pulls.mean, show: (x) => inOne(x.pulls) },
        ]}
      />
      <DataTable
        name={`pulls-${id}-spared`}
        rows={rows}
        rowKey={(r) => r.what}
        columns={[
          { title: "otherwise", value: (r) => r.what },
          {
            title: "GB",
            right: true,
            value: (r) => r.s.gb.mean,
            show: (r) => <Change of={r.s.gb} say={(x) => count(x)} />,
          },
          {
            title: "mean delay",
            right: true,
            value: (r) => r.s.meanNs.mean,
            show: (r) => <Change of={r.s.meanNs} say={duration} />,
          },
          {
            title: "95 % of delays",
            right: true,
            value: (r) => r.s.p95Ns.mean,
            show: (r) => <Change of={r.s.p95Ns} say={duration} />,
          },
          {
            title: "a month",
            right: true,
            value: (r) => r.s.costPerMonth.mean,
            show: (r) => <Change of={r.s.costPerMonth} say={(x) => money(x, d.currency)} />,
          },
          ...(wrong
            ? [
                {
                  title: "jobs wrong",
                  right: true,
                  value: (r: (typeof rows)[number]) => r.s.wrong.mean,
                  show: (r: (typeof rows)[number]) => <Change of={r.s.wrong} say={(x) => count(x)} />,
                },
              ]
            : []),
        ]}
      />
      <p className="mt-2 text-sm opacity-80">
        {count(d.repeats)} repeats on the same draws. An image of another size:{" "}
        <code>tachyphor pulls {d.scenario} --image TEMPLATE=900MB</code>.
      </p>
    </>
  );
}
