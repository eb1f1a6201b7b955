import { useQuery, useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense, useEffect, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { api, type Schemas, take, watch } from "../api/client";
import { outcome, outcomes } from "../api/queries";
import { DataTable } from "../parts/DataTable";
import { Legend, onlyDelay, Ribbon } from "../parts/Ribbon";
import { Notice, Section, Trouble, Waiting } from "../parts/Section";
import { useTitle } from "../parts/useTitle";
import { count, duration, moment, money, percent, plusMinus } from "../words";
import { Explanation } from "./Explanation";

const DelayChart = lazy(() => import("../parts/DelayChart"));
const TimeLines = lazy(() => import("../parts/TimeLines"));

type Result = Schemas["Outcome"];
type Group = Schemas["Group"];

/** What simulating a scenario gave, or how far it has come. */
export function Outcome() {
  const id = Number(useParams().id);
  const found = useQuery(outcome(id));
  useTitle(`Outcome ${id}`);
  if (found.error) return <Trouble error={found.error} />;
  if (!found.data) return <Waiting what={`outcome ${id}`} />;
  const o = found.data;
  const result = o.result;
  return (
    <>
      <div className="mt-8 flex flex-wrap items-baseline justify-between gap-x-4">
        <h1 className="font-semibold text-2xl">{o.scenario}</h1>
        <p className="text-sm">
          outcome {o.id} ·{" "}
          <Link to={`/scenarios/${o.scenario}`} className="link">
            change the design
          </Link>{" "}
          · <Earlier id={o.id} scenario={o.scenario} />
        </p>
      </div>
      {o.state === "failed" && <Trouble error={new Error(`The simulation failed: ${o.error}`)} />}
      {o.state === "cancelled" && <Notice>The simulation was cancelled.</Notice>}
      {(o.state === "queued" || o.state === "running") && <Progress first={o} />}
      {result && <Story id={id} o={result} />}
    </>
  );
}

/** The way to compare with what was there before. */
function Earlier({ id, scenario }: { id: number; scenario: string }) {
  const list = useQuery(outcomes(scenario));
  const before = list.data?.items.find((o) => o.id < id && o.state === "done");
  if (!before)
    return (
      <Link to="/compare" className="link">
        compare
      </Link>
    );
  return (
    <Link to={`/compare?ids=${before.id},${id}`} className="link">
      compare with outcome {before.id}
    </Link>
  );
}

/** How far a running simulation has come, and the way to stop it. */
function Progress({ first }: { first: Schemas["OutcomeBrief"] }) {
  const [now, setNow] = useState(first);
  const [began] = useState(() => Date.now());
  const [error, setError] = useState<unknown>(null);
  const queries = useQueryClient();
  useEffect(
    () =>
      watch(first.id, (o) => {
        setNow(o);
        if (o.state !== "queued" && o.state !== "running") {
          void queries.invalidateQueries({ queryKey: ["outcomes"] });
          void queries.invalidateQueries({ queryKey: ["scenarios"] });
        }
      }),
    [first.id, queries],
  );
  const cancel = async () => {
    try {
      take(await api.POST("/api/v1/outcomes/{id}/cancel", { params: { path: { id: first.id } } }));
    } catch (problem) {
      setError(problem);
    }
  };
  const left = now.progress > 0.05 ? ((Date.now() - began) / now.progress) * (1 - now.progress) : 0;
  return (
    <Section title={now.state === "queued" ? "Waiting for its turn" : "Simulating"}>
      <progress
        className="progress progress-primary w-full max-w-xl"
        value={now.progress}
        max={1}
        aria-label="progress"
      />
      <p className="mt-2 flex items-center gap-4">
        {percent(now.progress)}
        {left > 0 && ` · about ${duration(left * 1e6)} left`}
        <button type="button" className="btn btn-sm" onClick={cancel}>
          Cancel
        </button>
      </p>
      {error !== null && <Trouble error={error} />}
    </Section>
  );
}

/** The finished outcome, from the sentence down to single jobs. */
function Story({ id, o }: { id: number; o: Result }) {
  const all = o.groups[0];
  if (!all) return null;
  const mean = all.ribbonNs.map((f) => f.mean);
  const whole = mean.reduce((a, b) => a + b, 0);
  return (
    <>
      <p className="mt-2 max-w-3xl text-lg leading-snug" id="headline">
        {o.headline}
      </p>
      {o.unmatched.map((u) => (
        <Notice key={u.class}>
          <b>
            {count(u.jobs)} {u.jobs === 1 ? "job" : "jobs"} of {u.class} can never start:
          </b>{" "}
          no template offers {u.missing.join(", ")}.
          {u.meant.filter(Boolean).map((m, i) => (
            <span key={m}>
              {" "}
              {u.nearest} offers <b>{m}</b>: is {u.missing[i]} a slip?
            </span>
          ))}
        </Notice>
      ))}
      <div className="mt-5">
        <Ribbon ns={mean} whole={whole} label="the mean job" tall />
        <div className="mt-2 flex flex-wrap justify-between gap-x-6">
          <Legend ns={mean} />
          <p className="text-sm opacity-80">the mean job, {duration(whole)} from submission to end</p>
        </div>
      </div>
      <Groups o={o} />
      <div className="grid gap-x-10 lg:grid-cols-2">
        <Section title="What the delay was spent on" aside={`${o.repeats} repeats, ± 95 %`}>
          <DataTable
            name={`outcome-${id}-causes`}
            rows={o.causes.filter((x) => x.share >= 0.0005)}
            rowKey={(x) => x.cause}
            columns={[
              { title: "waiting for", value: (x) => x.label },
              {
                title: "job-hours",
                right: true,
                value: (x) => x.jobHours.mean,
                show: (x) =>
                  `${x.jobHours.mean.toFixed(1)} ${x.jobHours.half >= 0.05 ? `± ${x.jobHours.half.toFixed(1)}` : ""}`,
              },
              { title: "share", right: true, value: (x) => x.share, show: (x) => percent(x.share, 1) },
            ]}
          />
        </Section>
        <Section title="The bill" aside="a month of 730 h">
          <Bill o={o} />
        </Section>
      </div>
      <Section title="How long jobs wait to start" aside="share of jobs that start within a time">
        <Suspense fallback={<Waiting what="the chart" />}>
          <DelayChart
            series={o.groups
              .filter((g) => g.curve && g.jobs.mean > 0 && g.delay.maxNs.mean > 0)
              .map((g) => ({ name: g.name, curve: g.curve ?? [] }))}
          />
        </Suspense>
        <CurveTable groups={o.groups} />
      </Section>
      <Lines o={o} />
      <Slowest id={id} o={o} />
    </>
  );
}

/** Jobs by class and template, with their ribbon. */
function Groups({ o }: { o: Result }) {
  const rows = o.groups.filter((g) => g.jobs.mean > 0);
  // A class that waits far longer than the rest would flatten them all.
  const means = rows.filter((g) => g.by === "class").map((g) => g.delay.meanNs.mean);
  const sorted = means.toSorted((a, b) => b - a);
  const [first = 0, second = 0] = sorted;
  const whole = first > 4 * second && second > 0 ? second * 1.25 : first;
  const percentile = (pick: (g: Group) => Schemas["Figure"] | undefined) => ({
    right: true,
    value: (g: Group) => pick(g)?.mean ?? 0,
    show: (g: Group) => {
      if (g.delay.maxNs.mean === 0) return "–";
      const f = pick(g);
      return f ? duration(f.mean) : <span title="too few jobs to say">too few</span>;
    },
  });
  return (
    <Section
      title="Start delay by class and template"
      aside={whole < first ? "ribbons on one scale; the longest run past its end" : "ribbons on one scale"}
    >
      <DataTable<Group>
        name={`${o.scenario}-delays`}
        rows={rows}
        rowKey={(g) => `${g.by}/${g.name}`}
        columns={[
          {
            title: "jobs of",
            value: (g) => g.name,
            show: (g) => (
              <span className={`whitespace-nowrap ${g.by === "template" ? "pl-3 opacity-85" : ""}`}>
                {g.by === "template" ? `template ${g.name}` : g.name}
              </span>
            ),
          },
          {
            title: "mean, by phase",
            wide: true,
            value: (g) => g.delay.meanNs.mean,
            show: (g) =>
              g.delay.maxNs.mean > 0 ? (
                <Ribbon
                  ns={onlyDelay(g.ribbonNs.map((f) => f.mean))}
                  whole={Math.max(whole, 1)}
                  label={`start delay of ${g.name}`}
                />
              ) : (
                <span className="text-warning">never start</span>
              ),
          },
          {
            title: "mean",
            right: true,
            value: (g) => g.delay.meanNs.mean,
            show: (g) =>
              g.delay.maxNs.mean === 0 ? (
                "–"
              ) : (
                <>
                  {duration(g.delay.meanNs.mean)}{" "}
                  <span className="hidden opacity-75 sm:inline">{plusMinus(g.delay.meanNs, duration)}</span>
                </>
              ),
          },
          { title: "half within", ...percentile((g) => g.delay.p50Ns) },
          { title: "95 % within", ...percentile((g) => g.delay.p95Ns) },
          { title: "99 % within", ...percentile((g) => g.delay.p99Ns) },
          {
            title: "longest",
            right: true,
            value: (g) => g.delay.maxNs.mean,
            show: (g) => (g.delay.maxNs.mean > 0 ? duration(g.delay.maxNs.mean) : "–"),
          },
          { title: "jobs", right: true, value: (g) => g.jobs.mean, show: (g) => count(g.jobs.mean) },
          { title: "warm", right: true, value: (g) => g.warm.mean, show: (g) => percent(g.warm.mean) },
        ]}
      />
    </Section>
  );
}

const useNames: Record<string, string> = {
  work: "agents at work",
  start: "agents starting",
  idle: "agents idle",
  empty: "empty room, nodes booting",
};

/** What is paid, by pool and by what the node time went to. */
function Bill({ o }: { o: Result }) {
  const c = o.cost;
  const rows = [
    ...c.pools.map((p) => ({
      what: `pool ${p.pool}, ${p.nodes.mean.toFixed(1)} nodes of ${p.nodeType}`,
      amount: p.perMonth,
      share: "",
      strong: false,
      inset: false,
    })),
    ...c.uses.map((u) => ({
      what: useNames[u.use] ?? u.use,
      amount: u.perMonth,
      share: percent(u.share, 1),
      strong: false,
      inset: true,
    })),
    {
      what: "cluster fee",
      amount: { mean: c.feePerMonth, half: 0, runs: 1 },
      share: "",
      strong: false,
      inset: false,
    },
    { what: "all that is paid", amount: c.perMonth, share: "", strong: true, inset: false },
  ];
  return (
    <>
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
                {money(r.amount.mean, "")} {plusMinus(r.amount, (x) => money(x, ""))}
              </span>
            ),
          },
          { title: "of the nodes", right: true, value: (r) => r.share },
        ]}
      />
      <p className="mt-1 text-sm">
        {money(c.perJob.mean, c.currency)} a job.
        {c.waitingPerMonth.mean > 0 &&
          ` People's waiting is worth ${money(c.waitingPerMonth.mean, c.currency)} a month; nobody is billed for it.`}
      </p>
    </>
  );
}

/** The numbers behind the delay chart. */
function CurveTable({ groups }: { groups: Group[] }) {
  const shown = groups.filter((g) => g.curve && g.delay.maxNs.mean > 0);
  const rows = (shown[0]?.curve ?? []).filter((p) => p.percent % 10 === 0 || p.percent > 94);
  return (
    <details className="text-sm">
      <summary className="cursor-pointer">As a table</summary>
      <DataTable
        name="delay-distribution"
        rows={rows}
        rowKey={(p) => String(p.percent)}
        columns={[
          { title: "share of jobs", right: true, value: (p) => p.percent, show: (p) => `${p.percent} %` },
          ...shown.map((g) => ({
            title: g.name,
            right: true,
            value: (p: Schemas["CurvePoint"]) => g.curve?.find((q) => q.percent === p.percent)?.ns ?? 0,
            show: (p: Schemas["CurvePoint"]) =>
              duration(g.curve?.find((q) => q.percent === p.percent)?.ns ?? 0),
          })),
        ]}
      />
    </details>
  );
}

/** Waiting jobs, agents, nodes and money on one axis; the part shown is in the address. */
function Lines({ o }: { o: Result }) {
  const [query, setQuery] = useSearchParams();
  const start = new Date(o.start).getTime();
  const from = Number(query.get("from") ?? start);
  const to = Number(query.get("to") ?? start + o.spanNs / 1e6);
  const zoom = (a: number, b: number) => {
    setQuery(
      (q) => {
        q.set("from", String(Math.round(a)));
        q.set("to", String(Math.round(b)));
        return q;
      },
      { replace: true, preventScrollReset: true },
    );
  };
  return (
    <Section
      title="Over time"
      aside={`means of ${duration(o.lines.binNs)} over ${o.repeats} repeats; drag the handles below to look closer`}
    >
      <Suspense fallback={<Waiting what="the chart" />}>
        <TimeLines o={o} from={from} to={to} onZoom={zoom} />
      </Suspense>
      <details className="text-sm">
        <summary className="cursor-pointer">As a table</summary>
        <LinesTable o={o} from={from} to={to} />
      </details>
    </Section>
  );
}

const tableLines = 200;

function LinesTable({ o, from, to }: { o: Result; from: number; to: number }) {
  const start = new Date(o.start).getTime();
  const bin = o.lines.binNs / 1e6;
  const rows = o.lines.waiting
    .map((_, i) => i)
    .filter((i) => start + i * bin >= from && start + i * bin < to);
  const at = (i: number) => new Date(start + i * bin).toISOString();
  return (
    <>
      {rows.length > tableLines && (
        <p>
          The first {tableLines} of {rows.length} intervals; look closer for the others.
        </p>
      )}
      <DataTable
        name={`${o.scenario}-time-lines`}
        rows={rows.slice(0, tableLines)}
        rowKey={String}
        columns={[
          { title: "from", value: at, show: (i) => moment(at(i), o.zone) },
          { title: "waiting jobs", right: true, value: (i) => o.lines.waiting[i] ?? 0 },
          ...[...o.lines.agents, ...o.lines.nodes].map((l) => ({
            title: l.name,
            right: true,
            value: (i: number) => l.values[i] ?? 0,
          })),
          { title: `${o.cost.currency} an hour`, right: true, value: (i) => o.lines.moneyPerHour[i] ?? 0 },
        ]}
      />
    </>
  );
}

/** The jobs that waited longest; one of them, named in the address, is explained. */
function Slowest({ id, o }: { id: number; o: Result }) {
  const [query, setQuery] = useSearchParams();
  const job = query.get("job");
  const pick = (name: string | null) =>
    setQuery(
      (q) => {
        if (name) q.set("job", name);
        else q.delete("job");
        return q;
      },
      { preventScrollReset: true },
    );
  return (
    <Section title="Jobs that waited longest" aside="of the first repeat; press one to see why">
      <form
        className="mb-3 flex gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          pick(String(new FormData(e.currentTarget).get("job") ?? "").trim());
        }}
      >
        <input
          name="job"
          className="input input-sm w-72"
          aria-label="Job to explain"
          placeholder="or the id of any other job"
        />
        <button type="submit" className="btn btn-sm">
          Explain
        </button>
      </form>
      {job && <Explanation id={id} job={job} zone={o.zone} close={() => pick(null)} />}
      <DataTable
        name={`outcome-${id}-slowest`}
        rows={o.slowest}
        rowKey={(j) => j.id}
        columns={[
          {
            title: "job",
            value: (j) => j.id,
            show: (j) => (
              <button type="button" className="link whitespace-nowrap" onClick={() => pick(j.id)}>
                {j.id}
              </button>
            ),
          },
          {
            title: "start delay",
            right: true,
            value: (j) => j.delayNs,
            show: (j) => (j.delayNs < 0 ? "never" : duration(j.delayNs)),
          },
          {
            title: "phase",
            value: (j) => j.phase,
            show: (j) => (
              <span className="flex items-center gap-1.5">
                <span className="inline-block size-3" style={{ background: `var(--phase-${j.phase})` }} />
                {j.phase}
              </span>
            ),
          },
          { title: "waited longest for", value: (j) => j.reason },
          {
            title: "submitted",
            value: (j) => j.submitted,
            show: (j) => <span className="whitespace-nowrap">{moment(j.submitted, o.zone)}</span>,
          },
        ]}
      />
    </Section>
  );
}
