import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, over, type Schemas, take, type Work } from "../../api/client";
import { doubt, doubts } from "../../api/queries";
import { DataTable } from "../../parts/DataTable";
import { Fact } from "../../parts/Fact";
import { Notice, Section, Trouble } from "../../parts/Section";
import { Underway } from "../../parts/Underway";
import { count, duration, money, signed } from "../../words";

type Doubts = Schemas["Doubts"];
type Figure = Schemas["Figure"];

/** Which facts of the cluster the outcome hangs on: each tried at the ends of what it may be. */
export function Hangs({ id, scenario }: { id: number; scenario: string }) {
  const list = useQuery(doubts(scenario));
  const queries = useQueryClient();
  const [error, setError] = useState<unknown>(null);
  const kept = list.data?.items.find((w) => w.doubt?.outcome === id);
  const ask = async () => {
    setError(null);
    try {
      take(await api.POST("/api/v1/doubts", { body: { outcome: id } }));
      await queries.invalidateQueries({ queryKey: ["doubts"] });
    } catch (problem) {
      setError(problem);
    }
  };
  const again = !kept || kept.state === "failed" || kept.state === "cancelled";
  return (
    <Section title="What it hangs on" aside="facts of the cluster, each at the ends of what it may be">
      {error !== null && <Trouble error={error} />}
      {list.error && <Trouble error={list.error} />}
      {kept?.state === "failed" && <Trouble error={new Error(`Trying the facts failed: ${kept.error}`)} />}
      {list.data && again && (
        <p className="flex max-w-3xl flex-wrap items-center gap-3">
          <button type="button" id="doubt" className="btn btn-sm" onClick={ask}>
            Try the facts
          </button>
          <span className="text-sm opacity-80">
            Simulates it with each fact at its least and at its most, on the same draws, and says which to
            measure next.
          </span>
        </p>
      )}
      {kept && !again && <Kept first={kept} />}
    </Section>
  );
}

/** How far trying has come, or what came of it. */
function Kept({ first }: { first: Work }) {
  const running = !over(first);
  const found = useQuery({ ...doubt(first.id), enabled: !running });
  if (running) return <Underway first={first} queryKey="doubts" />;
  if (found.error) return <Trouble error={found.error} />;
  const d = found.data?.result;
  return d ? <Table id={first.id} d={d} /> : null;
}

/** sure reports whether a change is more than chance. */
const sure = (f: Figure) => f.runs < 2 || Math.abs(f.mean) > f.half;

function Change({ of, say }: { of: Figure; say: (x: number) => string }) {
  if (of.mean === 0 && of.half === 0) return <>–</>;
  if (!sure(of)) return <span className="opacity-70">no sure change</span>;
  return <>{signed(of.mean, say)}</>;
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
