import { useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense, useState } from "react";
import { Link } from "react-router";
import { api, type Schemas, take } from "../../api/client";
import { DataTable } from "../../parts/DataTable";
import { Fact } from "../../parts/Fact";
import { Notice, Section, Trouble } from "../../parts/Section";
import { Asked } from "../../parts/Why";
import { asWritten, bound, count, duration, likeMoney, percent, signed } from "../../words";

const Quantiles = lazy(() => import("./Quantiles"));
const Hours = lazy(() => import("./Hours"));
const CountsByHour = lazy(() => import("./CountsByHour"));

type Result = Schemas["Backtest"];
type Percentile = Schemas["Percentile"];

/** What came of a backtest. */
export function Answer({ id, b }: { id: number; b: Result }) {
  return (
    <>
      <p id="verdict" className="mt-6 max-w-4xl text-lg">
        {bound(b.verdict.says)}
      </p>
      <p className="mt-1 max-w-4xl text-sm opacity-80">
        {count(b.jobs)} jobs, {asWritten(b.from)} to {asWritten(b.until)} ({b.zone}); {b.repeats} runs, each
        job taking as long as it took. {b.split.overlaps ? "" : b.split.says}
      </p>
      {b.split.overlaps && <Notice>{b.split.says}</Notice>}
      <Cause id={id} b={b} />
      <div className="mt-4 grid gap-x-8 lg:grid-cols-2">
        <Section title="Start delays, predicted and observed" aside="percentile by percentile">
          <Suspense>
            <Quantiles shape={b.shape} />
          </Suspense>
        </Section>
        <Section title="By hour of the week" aside="mean start delay">
          <Suspense>
            <Hours hours={b.hours} />
          </Suspense>
        </Section>
      </div>
      <Phases id={id} b={b} />
      <Beside b={b} />
      <Groups id={id} b={b} />
      <Scores b={b} />
      <Left b={b} />
    </>
  );
}

/** What jobs waited for, where the log tells it. */
function Phases({ id, b }: { id: number; b: Result }) {
  const list = b.phases ?? []; // one that was kept before it was told has none
  if (list.length === 0) return null;
  return (
    <Section id="phases" title="By phase" aside="what jobs waited for, on average">
      <DataTable
        name={`backtest-${id}-phases`}
        rows={list}
        rowKey={(x) => x.phase}
        columns={[
          {
            title: "phase",
            value: (x) => x.phase,
            show: (x) => (
              <span className="flex items-center gap-2">
                <span className="size-3" style={{ background: `var(--phase-${x.phase})` }} /> {x.phase}
              </span>
            ),
          },
          { title: "how many", right: true, value: (x) => x.jobs, show: (x) => count(x.jobs) },
          {
            title: "predicted",
            right: true,
            value: (x) => x.predictedNs,
            show: (x) => <Asked of={`phase/${x.phase}/predicted`}>{duration(x.predictedNs)}</Asked>,
          },
          {
            title: "observed",
            right: true,
            value: (x) => x.observedNs,
            show: (x) => <Asked of={`phase/${x.phase}/observed`}>{duration(x.observedNs)}</Asked>,
          },
          {
            title: "by chance",
            right: true,
            value: (x) => x.lowNs,
            show: (x) => `${duration(x.lowNs)} to ${duration(x.highNs)}`,
          },
          {
            title: "verdict",
            value: (x) => (x.off ? 1 : 0),
            show: (x) => (x.off ? <span className="text-warning">off</span> : "agrees"),
          },
        ]}
      />
    </Section>
  );
}

/** Agents, nodes and the bill, where they were recorded. */
function Beside({ b }: { b: Result }) {
  const counted = b.counted ?? []; // one that was kept before these were held beside each other has none
  if (counted.length === 0 && !b.paid) return null;
  return (
    <Section id="beside" title="Agents, nodes and the bill" aside="as recorded, beside what is predicted">
      {b.paid && (
        <p className={`max-w-4xl ${b.paid.off ? "border-warning border-l-4 pl-3" : ""}`}>
          <Asked of="paid/predicted">{bound(b.paid.says)}</Asked>
        </p>
      )}
      <div className="grid gap-x-8 lg:grid-cols-2">
        {counted.map((c) => (
          <div key={c.what}>
            <p className={`mt-2 max-w-4xl ${c.off ? "border-warning border-l-4 pl-3" : ""}`}>
              <Asked of={`${c.what}/predicted`}>{bound(c.says)}</Asked>
            </p>
            <Suspense>
              <CountsByHour c={c} />
            </Suspense>
          </div>
        ))}
      </div>
    </Section>
  );
}

/** The one fact that would explain most, and the others that were tried. */
function Cause({ id, b }: { id: number; b: Result }) {
  const queries = useQueryClient();
  const [error, setError] = useState<unknown>(null);
  const [stored, setStored] = useState<Schemas["Stored"] | null>(null);
  const f = b.fact;
  const takeOver = async () => {
    setError(null);
    try {
      setStored(take(await api.POST("/api/v1/backtests/{id}/fact", { params: { path: { id } } })));
      await queries.invalidateQueries({ queryKey: ["clusters"] });
    } catch (problem) {
      setError(problem);
    }
  };
  return (
    <Section id="cause" title="What would explain it" aside={b.tried.length > 0 ? "one fact at a time" : ""}>
      <p className="mb-3 max-w-4xl">{bound(b.next)}</p>
      {f && (
        <p className="mb-3 flex flex-wrap items-center gap-3">
          <button
            type="button"
            id="take-over"
            className="btn btn-primary btn-sm"
            disabled={stored !== null}
            onClick={takeOver}
          >
            Take {f.would} over
          </button>
          <span className="text-sm opacity-80">
            95 % of delays <Asked of={`fact/${f.fact}/p95`}>{signed(f.p95Ns, duration)}</Asked>, the bill{" "}
            <Asked of={`fact/${f.fact}/bill`}>{signed(f.costPerMonth, (x) => likeMoney(x, 1000))}</Asked>{" "}
            {b.currency} a month, as predicted then
          </span>
        </p>
      )}
      {error !== null && <Trouble error={error} />}
      {stored && (
        <p role="status" className="mb-3">
          Stored: <Link to={`/clusters/${stored.name}`} className="link">{`Cluster ${stored.name}`}</Link>{" "}
          revision {stored.revision}. Simulate again to see what it changes.
        </p>
      )}
      {b.tried.length > 0 && (
        <DataTable
          name={`backtest-${id}-facts`}
          rows={b.tried}
          rowKey={(x) => x.fact}
          chosen={(x) => x.fact === f?.fact}
          columns={[
            { title: "fact", value: (x) => x.fact, show: (x) => <Fact name={x.fact} /> },
            { title: "says", right: true, value: (x) => x.says },
            {
              title: "nearest as",
              right: true,
              value: (x) => (x.share > 0 ? x.would : "–"),
              show: (x) => (x.share > 0 ? <Asked of={`fact/${x.fact}/would`}>{x.would}</Asked> : "–"),
            },
            {
              title: "between",
              right: true,
              value: (x) => (x.share > 0 ? `${x.low} to ${x.high}` : ""),
              show: (x) =>
                x.share > 0 && <span className="whitespace-nowrap">{`${x.low} to ${x.high}`}</span>,
            },
            {
              title: "explains",
              right: true,
              value: (x) => x.share,
              show: (x) => (
                <Asked of={`fact/${x.fact}/share`}>{x.share > 0 ? percent(x.share) : "nothing"}</Asked>
              ),
            },
            {
              title: "how sure",
              value: (x) => (x.share <= 0 ? "" : x.sure ? "sure" : "may be chance"),
              show: (x) =>
                x.share > 0 && (
                  <>
                    {x.sure ? "more than chance" : "may be chance"}
                    {x.like && "; not told apart from the first"}
                  </>
                ),
            },
          ]}
        />
      )}
      {b.moot.length > 0 && (
        <p className="mt-2 max-w-4xl text-sm opacity-80">No job meets {b.moot.join(", ")}.</p>
      )}
    </Section>
  );
}

/** Percentiles of all jobs and of each class. */
function Groups({ id, b }: { id: number; b: Result }) {
  const rows = b.groups.flatMap((g) =>
    (
      [
        ["start delay", "delay", g.delay],
        ["lead time", "lead", g.lead],
      ] as [string, string, Percentile[]][]
    ).flatMap(([what, called, list]) =>
      list
        .filter((p) => p.judged)
        .map((p) => ({
          g,
          what,
          p,
          of: `group/${g.by}/${g.by === "all" ? "all jobs" : g.name}/${called}/${p.p}`,
        })),
    ),
  );
  const [all, setAll] = useState(false);
  const shown = all
    ? rows
    : rows.filter((r) => r.g.by === "all" || (r.what === "start delay" && r.p.p >= 90));
  return (
    <Section
      id="groups"
      title="By class"
      aside={
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="checkbox checkbox-sm"
            checked={all}
            onChange={(e) => setAll(e.target.checked)}
          />
          every percentile
        </label>
      }
    >
      <DataTable
        name={`backtest-${id}`}
        rows={shown}
        rowKey={(r) => `${r.g.by}${r.g.name}${r.what}${r.p.p}`}
        columns={[
          { title: "jobs", value: (r) => (r.g.by === "all" ? "all" : r.g.name) },
          { title: "how many", right: true, value: (r) => r.g.jobs, show: (r) => count(r.g.jobs) },
          { title: "of", value: (r) => `${r.what}, ${r.p.p} %` },
          {
            title: "predicted",
            right: true,
            value: (r) => r.p.predictedNs,
            show: (r) => <Asked of={`${r.of}/predicted`}>{duration(r.p.predictedNs)}</Asked>,
          },
          {
            title: "observed",
            right: true,
            value: (r) => r.p.observedNs,
            show: (r) => <Asked of={`${r.of}/observed`}>{duration(r.p.observedNs)}</Asked>,
          },
          {
            title: "ratio",
            right: true,
            value: (r) => r.p.ratio,
            show: (r) =>
              r.p.observedNs > 0 ? (
                <Asked of={`${r.of}/ratio`}>{r.p.ratio.toFixed(2)}</Asked>
              ) : (
                r.p.ratio.toFixed(2)
              ),
          },
          {
            title: "by chance",
            right: true,
            value: (r) => r.p.low,
            show: (r) => (
              <span className="whitespace-nowrap">{`${r.p.low.toFixed(2)} to ${r.p.high.toFixed(2)}`}</span>
            ),
          },
          {
            title: "verdict",
            value: (r) => (r.p.off ? "off" : "agrees"),
            show: (r) =>
              r.p.off ? <span className="font-medium text-warning">off</span> : <span>agrees</span>,
          },
        ]}
      />
    </Section>
  );
}

/** Scores, as bars on one scale. */
function Scores({ b }: { b: Result }) {
  const s = b.scores;
  if (s.compare === 0) return null;
  const rows: [string, number, string][] = [
    ["the simulation", s.ofTheseNs, "simulation"],
    ["the same hour as it was last", s.againNs, "again"],
    ["the hour of the week as it was so far", s.byHourNs, "hour"],
  ];
  const most = Math.max(...rows.map(([, ns]) => ns));
  return (
    <Section title="Beside forecasts that know nothing of the design" aside="pinball loss; less is nearer">
      <table className="w-full max-w-3xl text-sm">
        <tbody>
          {rows.map(([name, ns, whose]) => (
            <tr key={name}>
              <th scope="row" className="w-72 py-1 pr-4 text-left font-normal">
                {name}
              </th>
              <td className="w-20 pr-3 text-right tabular-nums">
                <Asked of={`score/${whose}`}>{duration(ns)}</Asked>
              </td>
              <td>
                <div className="h-3 bg-primary" style={{ width: `${Math.max(0.5, (100 * ns) / most)}%` }} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-2 max-w-3xl text-sm opacity-80">
        Over all quantiles, the mean of the {count(s.compare)} jobs for which all three have a forecast. A
        simulation that is right would have <Asked of="score/own">{duration(s.ownNs)}</Asked> on average over
        all jobs; this has <Asked of="score/all">{duration(s.modelNs)}</Asked>.
      </p>
    </Section>
  );
}

/** Jobs that are not scored. */
function Left({ b }: { b: Result }) {
  const parts = (
    [
      [b.left.unknown, "whose wait the log does not say"],
      [b.left.before, "that came before the score begins"],
      [b.left.unfit, "that fit no template"],
      [b.left.beyond, "that came after the span"],
    ] as [number, string][]
  )
    .filter(([n]) => n > 0)
    .map(([n, says]) => `${count(n)} ${says}`);
  return (
    <p className="mt-6 max-w-4xl text-sm opacity-80">
      {parts.length > 0 && `Not scored: ${parts.join("; ")}. `}
      {b.designs.length > 1 &&
        `Designs in force: ${b.designs.map((d) => `revision ${d.revision} (${count(d.jobs)} jobs)`).join(", ")}. `}
      On the command line: <code>tachyphor backtest {b.scenario} --live</code>
    </p>
  );
}
