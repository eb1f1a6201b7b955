import { useQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import type { Schemas } from "../../api/client";
import { documentNames, scenarios } from "../../api/queries/documents";
import { advice, fits, type SizeQuestion, usage } from "../../api/queries/templates";
import { DataTable } from "../../parts/DataTable";
import { Notice, Section, Trouble, Waiting } from "../../parts/Section";
import { amount, bound, bytes, count, duration, percent, times } from "../../words";
import { Apply } from "./sizing/Apply";
import { Nodes } from "./sizing/Nodes";
import { OverTime } from "./sizing/OverTime";
import { Peaks } from "./sizing/Peaks";
import { Question } from "./sizing/Question";
import { TakeIn } from "./sizing/TakeIn";
import { TradeOff } from "./sizing/TradeOff";

type Advice = Schemas["Advice"];

/** number reads a setting of the address. */
const number = (text: string | null) => (text ? Number(text) : undefined);

/** Requests against what agents used: what to ask for, and with how much right. */
export function Sizing({ name, text, uses }: { name: string; text: string; uses: string[] }) {
  const [query] = useSearchParams();
  const question: SizeQuestion = {
    class: query.get("class") ?? undefined,
    share: number(query.get("share")),
    sure: number(query.get("sure")),
    halfLife: query.get("halfLife") ?? undefined,
    stretch: number(query.get("stretch")),
    cluster: query.get("cluster") ?? undefined,
    pool: query.get("pool") ?? undefined,
  };
  // With several clusters one is meant: that of a scenario that uses the template, at first.
  const there = useQuery(documentNames("Cluster"));
  const designs = useQuery(scenarios);
  const several = (there.data?.length ?? 0) > 1;
  if (several && !question.cluster)
    question.cluster = designs.data?.items.find((s) => uses.includes(s.name))?.cluster ?? there.data?.[0];
  const known = useQuery(usage(name));
  const ready = !there.isPending && !designs.isPending;
  const found = useQuery({ ...advice(name, question), enabled: ready && (known.data?.runs ?? 0) > 0 });
  if (known.error) return <Trouble error={known.error} />;
  if (!known.data) return <Waiting what="usage" />;
  if (known.data.runs === 0) {
    return (
      <>
        <Notice>
          Nothing is known yet of what agents of {name} used. Take samples in, and this page sizes it.
        </Notice>
        <TakeIn name={name} />
      </>
    );
  }
  return (
    <>
      <Question
        question={question}
        classes={known.data.classes}
        clusters={several ? (there.data ?? []) : []}
      />
      {found.error && <Trouble error={found.error} />}
      {!found.data && !found.error && <Waiting what="advice" />}
      {found.data && !found.error && <Shown of={found.data} question={question} text={text} uses={uses} />}
      <Section title="More usage">
        <TakeIn name={name} intakes={known.data.intakes} />
      </Section>
    </>
  );
}

function Shown({
  of,
  question,
  text,
  uses,
}: {
  of: Advice;
  question: SizeQuestion;
  text: string;
  uses: string[];
}) {
  const e = of.evidence;
  const day = (seconds: number) => new Date(seconds * 1000).toISOString().slice(0, 10);
  return (
    <>
      <p className="mt-4 max-w-4xl font-medium text-lg" id="headline">
        {bound(of.words[0] ?? "")}
      </p>
      {of.words.slice(1).map((w) => (
        <p key={w} className="max-w-4xl text-warning">
          {bound(w)}
        </p>
      ))}
      <p className="text-sm opacity-80">
        From {count(e.runs)} runs{e.from > 1e8 && `, ${day(e.from)} to ${day(e.to)}`}, {count(e.killed)} of
        them killed for memory; weighed on full nodes of {of.pool} ({of.nodeType}).
      </p>
      <Apply of={of} text={text} uses={uses} />
      <div className="grid grid-cols-1 gap-x-8 lg:grid-cols-2">
        <Section title="Peak memory of a run">
          <Peaks of={of} />
          {of.memory.words.map((w) => (
            <p key={w}>{bound(w)}</p>
          ))}
          <Behind>
            <DataTable
              name={`${of.template}-peaks`}
              rows={of.peaks.filter((b) => b.runs > 0)}
              rowKey={(b) => String(b.from)}
              columns={[
                {
                  title: "from",
                  right: true,
                  value: (b) => amount(b.from),
                  show: (b) => bytes(amount(b.from)),
                },
                { title: "to", right: true, value: (b) => amount(b.to), show: (b) => bytes(amount(b.to)) },
                { title: "runs", right: true, value: (b) => b.runs },
                { title: "killed", right: true, value: (b) => b.killed },
              ]}
            />
          </Behind>
        </Section>
        <Section title="CPU in use over a run">
          <OverTime of={of} />
          {of.cpu.map((w) => (
            <p key={w}>{bound(w)}</p>
          ))}
          <Behind>
            <DataTable
              name={`${of.template}-cpu-over-time`}
              rows={of.overTime.minutes.map((m, i) => ({ m, i }))}
              rowKey={(r) => String(r.i)}
              columns={[
                { title: "minute", right: true, value: (r) => r.m, show: (r) => r.m.toFixed(1) },
                { title: "runs at work", right: true, value: (r) => of.overTime.working[r.i] ?? 0 },
                ...(["p10", "p50", "p90"] as const).map((p) => ({
                  title: p,
                  right: true,
                  value: (r: { i: number }) => of.overTime[p][r.i] ?? 0,
                  show: (r: { i: number }) => `${(of.overTime[p][r.i] ?? 0).toFixed(2)} cores`,
                })),
              ]}
            />
          </Behind>
        </Section>
      </div>
      <Section title="What a request of CPU costs, and how it stretches work">
        <div className="grid grid-cols-1 gap-x-6 lg:grid-cols-[minmax(0,2fr)_minmax(0,3fr)]">
          <TradeOff of={of} />
          <Curve of={of} />
        </div>
      </Section>
      <Section title={`A full node of ${of.nodeType}, to scale`}>
        <Nodes of={of} />
        <Pools name={of.template} question={question} />
      </Section>
      <Other of={of} />
    </>
  );
}

/** The table behind a chart. */
function Behind({ children }: { children: React.ReactNode }) {
  return (
    <details className="mt-2 text-sm">
      <summary className="cursor-pointer opacity-80">as a table</summary>
      {children}
    </details>
  );
}

function Curve({ of }: { of: Advice }) {
  const rows = [...of.curve];
  if (of.now.agents > 0 && !rows.some((p) => p.cpu === of.now.cpu)) rows.push(of.now);
  rows.sort((a, b) => amount(b.cpu) - amount(a.cpu));
  return (
    <DataTable
      name={`${of.template}-cpu`}
      rows={rows}
      rowKey={(p) => `${p.cpu}${p.memory}`}
      columns={[
        {
          title: "CPU",
          right: true,
          value: (p) => amount(p.cpu),
          show: (p) => (
            <>
              {p.cpu === of.best.cpu && <b className="text-warning">better </b>}
              {p === of.now || p.cpu === of.now.cpu ? <b>today </b> : null}
              {p.cpu}
            </>
          ),
        },
        { title: "on a node", right: true, value: (p) => p.agents },
        { title: "full node", right: true, value: (p) => p.expected, show: (p) => times(p.expected, 3) },
        {
          title: "slowest class",
          right: true,
          value: (p) => p.slow,
          show: (p) => (p.slowClass ? `${p.slowClass} ${times(p.slow)}` : "–"),
        },
        { title: "request alone", right: true, value: (p) => p.guaranteed, show: (p) => times(p.guaranteed) },
        {
          title: `${of.currency} / 1,000 runs`,
          right: true,
          value: (p) => 1000 * p.perRun,
          show: (p) => (p.agents > 0 ? (1000 * p.perRun).toFixed(2) : "–"),
        },
      ]}
    />
  );
}

/** Today's requests on the nodes of each pool. */
function Pools({ name, question }: { name: string; question: SizeQuestion }) {
  const found = useQuery(fits(name, question));
  if (found.error) return <Trouble error={found.error} />;
  if (!found.data) return null;
  const { fits: rows, currency } = found.data;
  return (
    <div className="mt-4">
      <p className="font-medium">Today's requests on each pool</p>
      <DataTable
        name={`${name}-fit`}
        rows={rows}
        rowKey={(f) => f.pool}
        columns={[
          { title: "pool and node", value: (f) => `${f.pool} ${f.nodeType}` },
          { title: "agents", right: true, value: (f) => f.agents },
          { title: "binds", value: (f) => f.binds, show: (f) => f.binds || f.why.join(", ") },
          {
            title: "left over",
            right: true,
            value: (f) => amount(f.left.cpu),
            show: (f) => (f.agents > 0 ? `${f.left.cpu} CPU, ${bytes(amount(f.left.memory))}` : "–"),
          },
          {
            title: `${currency} an agent-hour`,
            right: true,
            value: (f) => f.perHour,
            show: (f) => (f.perHour > 0 ? f.perHour.toFixed(3) : "–"),
          },
          {
            title: `${currency} / 1,000 runs`,
            right: true,
            value: (f) => 1000 * f.perRun,
            show: (f) => (f.perRun > 0 ? (1000 * f.perRun).toFixed(2) : "–"),
          },
          {
            title: "one more with",
            value: (f) => f.oneMore?.cheaper ?? 0,
            show: (f) => (f.oneMore ? `${lessOf(f.oneMore)}: ${percent(f.oneMore.cheaper)} cheaper` : "–"),
          },
        ]}
      />
    </div>
  );
}

/** lessOf writes how much less a step asks for. */
const lessOf = (s: Schemas["Step"]) =>
  [
    amount(s.lessCpu) > 0 ? `−${s.lessCpu} CPU` : "",
    amount(s.lessMemory) > 0 ? `−${bytes(amount(s.lessMemory))}` : "",
  ]
    .filter(Boolean)
    .join(", ");

/** Other choices, classes and whether to split. */
function Other({ of }: { of: Advice }) {
  return (
    <>
      <Section title="Other shares of runs">
        <DataTable
          name={`${of.template}-shares`}
          rows={of.choices}
          rowKey={(c) => String(c.share)}
          columns={[
            { title: "stay below", right: true, value: (c) => c.share, show: (c) => percent(c.share, 1) },
            {
              title: "memory",
              right: true,
              value: (c) => amount(c.request),
              show: (c) =>
                amount(c.request) > 0
                  ? bytes(amount(c.request))
                  : `no bound; needs ${count(c.needs)} runs without a kill`,
            },
            { title: "on a node", right: true, value: (c) => c.agents, show: (c) => c.agents || "–" },
            {
              title: "kills in 1,000 runs",
              right: true,
              value: (c) => c.kills,
              show: (c) => (amount(c.request) > 0 ? `at most ${+c.kills.toFixed(1)}` : "–"),
            },
            {
              title: `${of.currency} / 1,000 runs`,
              right: true,
              value: (c) => 1000 * c.perRun,
              show: (c) => (c.perRun > 0 ? (1000 * c.perRun).toFixed(2) : "–"),
            },
          ]}
        />
        {of.below.map((b) => (
          <p key={String(b.request)}>
            Requesting {bytes(amount(b.request))} and keeping the limit: {b.agents} on a node; were all at
            their peak at once, {percent(b.over, 1)} of full nodes would have too little memory.
          </p>
        ))}
        {of.disk.words.map((w) => (
          <p key={w}>Disk: {bound(w)}</p>
        ))}
      </Section>
      {of.classes.length > 0 && (
        <Section title="What each class used">
          <DataTable
            name={`${of.template}-classes`}
            rows={of.classes}
            rowKey={(c) => c.class}
            columns={[
              { title: "class", value: (c) => c.class || "(not known)" },
              { title: "runs", right: true, value: (c) => c.runs, show: (c) => count(c.runs) },
              { title: "killed", right: true, value: (c) => c.killed },
              {
                title: "median time",
                right: true,
                value: (c) => c.wall,
                show: (c) => duration(c.wall * 1e9),
              },
              { title: "mean cores", right: true, value: (c) => c.cores, show: (c) => c.cores.toFixed(1) },
              {
                title: "peak cores",
                right: true,
                value: (c) => c.peakCores,
                show: (c) => c.peakCores.toFixed(1),
              },
              {
                title: "parallel",
                right: true,
                value: (c) => c.parallel,
                show: (c) => (c.parallel > 0 ? percent(c.parallel) : "–"),
              },
              {
                title: "needs alone",
                right: true,
                value: (c) => amount(c.memory),
                show: (c) => `${c.bounded ? "" : "about "}${bytes(amount(c.memory))}`,
              },
            ]}
          />
          {of.verdict && (
            <p className="mt-2 max-w-4xl font-medium" id="verdict">
              {bound(of.verdict)}
            </p>
          )}
        </Section>
      )}
    </>
  );
}
