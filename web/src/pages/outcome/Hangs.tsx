import { useQuery } from "@tanstack/react-query";
import { api, type Schemas, take } from "../../api/client";
import { doubt, doubts } from "../../api/queries/works";
import { Change } from "../../parts/Change";
import { DataTable } from "../../parts/DataTable";
import { Fact } from "../../parts/Fact";
import { OnDemand } from "../../parts/OnDemand";
import { Notice, Trouble } from "../../parts/Section";
import { count, duration, money } from "../../words";

type Doubts = Schemas["Doubts"];

/** Which facts of the cluster the outcome hangs on: each tried at the ends of what it may be. */
export function Hangs({ id, scenario }: { id: number; scenario: string }) {
  return (
    <OnDemand
      title="What it hangs on"
      aside="facts of the cluster, each at the ends of what it may be"
      queryKey="doubts"
      list={useQuery(doubts(scenario))}
      mine={(w) => w.doubt?.outcome === id}
      ask={async () => take(await api.POST("/api/v1/doubts", { body: { outcome: id } }))}
      button={{ id: "doubt", says: "Try the facts" }}
      about="Simulates it with each fact at its least and at its most, on the same draws, and says which to measure next."
      failed="Trying the facts failed"
    >
      {(w) => <Kept id={w.id} />}
    </OnDemand>
  );
}

/** What came of it. */
function Kept({ id }: { id: number }) {
  const found = useQuery(doubt(id));
  if (found.error) return <Trouble error={found.error} />;
  const d = found.data?.result;
  return d ? <Table id={id} d={d} /> : null;
}

function Table({ id, d }: { id: number; d: Doubts }) {
  const rows = d.facts
    .filter((x) => !x.moot)
    .flatMap((x) => [
      { key: `${x.fact}-low`, x, is: x.low, e: x.atLow },
      { key: `${x.fact}-high`, x, is: x.high, e: x.atHigh },
    ]);
  const idle = d.facts.filter((x) => x.moot).map((x) => x.fact);
  const next = d.facts.find((x) => x.fact === d.next);
  return (
    <>
      {d.facts.length === 0 && (
        <Notice>
          The cluster says nothing that takes time: there is nothing to doubt, and nothing to trust.
        </Notice>
      )}
      {next && (
        <p className="mb-3 max-w-3xl">
          Measure <b>{next.fact}</b> next: it says {next.says} and may be {next.low} to {next.high} (
          {next.known}). <code>tachyphor learn cluster</code>, a rehearsal or <code>tachyphor probe</code>{" "}
          tell it.
        </p>
      )}
      {rows.length > 0 && (
        <DataTable
          name={`doubt-${id}`}
          rows={rows}
          rowKey={(r) => r.key}
          columns={[
            { title: "fact", value: (r) => r.x.fact, show: (r) => <Fact name={r.x.fact} /> },
            { title: "says", right: true, value: (r) => r.x.says },
            {
              title: "known",
              value: (r) => r.x.known,
              show: (r) => (
                <span className={r.x.known === "measured" ? "" : "font-medium text-warning"}>
                  {r.x.known}
                </span>
              ),
            },
            { title: "if it were", right: true, value: (r) => r.is },
            {
              title: "95 % of delays",
              right: true,
              value: (r) => r.e.p95Ns.mean,
              show: (r) => <Change of={r.e.p95Ns} say={duration} />,
            },
            {
              title: "a month",
              right: true,
              value: (r) => r.e.costPerMonth.mean,
              show: (r) => <Change of={r.e.costPerMonth} say={(x) => money(x, d.currency)} />,
            },
          ]}
        />
      )}
      <p className="mt-2 text-sm opacity-80">
        {count(d.repeats)} repeats on the same draws.
        {idle.length > 0 && ` Nothing hangs on ${idle.join(", ")}.`}
      </p>
    </>
  );
}
