import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense } from "react";
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { comparison, outcomes } from "../api/queries/outcomes";
import { Bar, Key, type Segment, total } from "../parts/Bar";
import { BriefLink } from "../parts/BriefLink";
import { DataTable } from "../parts/DataTable";
import { inOrder, leadOf } from "../parts/lead";
import { outcomeColumns } from "../parts/outcomeColumns";
import { byPhase, onlyDelay } from "../parts/Ribbon";
import { SaveBars } from "../parts/SaveBars";
import { Notice, Section, Trouble, Waiting } from "../parts/Section";
import { useAddress } from "../parts/useAddress";
import { useTitle } from "../parts/useTitle";
import { verdictInk } from "../parts/verdictInk";
import { Asked, Why } from "../parts/Why";
import { duration, inUnit, reach, signed } from "../words";

const DelayChart = lazy(() => import("../parts/DelayChart"));

type Metric = Schemas["Metric"];

/** Outcomes beside each other: same axes, paired differences, what differs in the design. */
export function Compare() {
  useTitle("Compare");
  const { query, change } = useAddress();
  const ids = (query.get("ids") ?? "")
    .split(",")
    .map(Number)
    .filter((n) => n > 0);
  const found = useQuery(comparison(ids));
  return (
    <>
      <h1 className="mt-8 font-semibold text-2xl">Compare</h1>
      <Why />
      {found.data && <Beside c={found.data} />}
      {found.error && <Trouble error={found.error} />}
      {ids.length > 1 && !found.data && !found.error && <Waiting what="the comparison" />}
      <Choose ids={ids} set={(next) => change({ ids: next.join(","), why: "" })} />
    </>
  );
}

/** Which outcomes to compare. */
function Choose({ ids, set }: { ids: number[]; set: (ids: number[]) => void }) {
  const list = useQuery(outcomes());
  if (!list.data) return null;
  const done = list.data.items.filter((o) => o.state === "done");
  return (
    <Section
      title={ids.length > 1 ? "Compare others" : "Pick two to six outcomes"}
      aside="differences are against the one picked first"
    >
      <DataTable
        name="outcomes"
        rows={done}
        rowKey={(o) => String(o.id)}
        columns={[
          {
            title: "outcome",
            value: (o) => o.id,
            show: (o) => (
              <label className="flex cursor-pointer items-center gap-2">
                <input
                  type="checkbox"
                  className="checkbox checkbox-sm"
                  checked={ids.includes(o.id)}
                  disabled={!ids.includes(o.id) && ids.length >= 6}
                  onChange={(e) => set(e.target.checked ? [...ids, o.id] : ids.filter((i) => i !== o.id))}
                />
                {o.id}
              </label>
            ),
          },
          { title: "scenario", value: (o) => o.about },
          ...outcomeColumns,
        ]}
      />
    </Section>
  );
}

/** How each stands with the aims of its scenario. */
function Judged({ c, name }: { c: Schemas["ComparedOutcomes"]; name: (i: number) => string }) {
  if (!c.outcomes.some((o) => o.simulation?.summary?.judged)) return null;
  return (
    <ul className="mt-3 max-w-3xl text-sm" id="judged">
      {c.outcomes.map((o, i) => {
        const s = o.simulation?.summary;
        return (
          <li key={o.id}>
            <b className="[overflow-wrap:anywhere]">{name(i)}</b>:{" "}
            <span className={verdictInk(s?.aims ?? "kept")}>{s?.judged ?? "It has no aims."}</span>
          </li>
        );
      })}
    </ul>
  );
}

/** The comparison itself. */
function Beside({ c }: { c: Schemas["ComparedOutcomes"] }) {
  const currency = c.outcomes[0]?.simulation?.summary?.currency ?? "";
  const first = c.outcomes[0]?.id;
  const twice = new Set(c.scenarios).size < c.scenarios.length;
  const name = (i: number) => (twice ? `${c.scenarios[i]} (${c.outcomes[i]?.id})` : (c.scenarios[i] ?? ""));
  const delay = c.outcomes.map((o) => byPhase(onlyDelay(o.groups[0]?.ribbonNs.map((f) => f.mean) ?? [])));
  const lead = c.outcomes.map((o) => (o.groups[0] ? leadOf(o.groups[0]) : []));
  const metrics = c.metrics.filter((m) => m.values.some((v) => v.mean !== 0));
  return (
    <>
      <p className="mt-2 max-w-3xl text-lg leading-snug" id="headline">
        {c.headline}
      </p>
      <p className="mt-2 text-sm">
        <BriefLink ids={c.outcomes.map((o) => o.id)} />
      </p>
      {c.note && <Notice>{c.note}</Notice>}
      <Judged c={c} name={name} />
      <Bars title="Mean start delay, by phase" lists={delay} c={c} name={name} />
      <Bars title="Mean lead time, from submission to end" lists={lead} c={c} name={name} />
      <Section
        title="Figures"
        aside={c.paired ? "differences paired repeat by repeat, ± 95 %" : "differences of means, ± 95 %"}
      >
        <DataTable<Metric>
          name="comparison"
          rows={metrics}
          rowKey={(m) => m.key}
          columns={[
            {
              title: "",
              value: (m) => m.label,
              show: (m) => <span className="block min-w-48">{m.label}</span>,
            },
            ...c.outcomes.map((o, i) => ({
              title: `${c.scenarios[i]} (${o.id})`,
              right: true,
              value: (m: Metric) => m.values[i]?.mean ?? 0,
              show: (m: Metric) => (
                <>
                  <Asked of={`metric/${m.key}`} outcome={o.id} against={i > 0 ? first : undefined}>
                    {m.tooFew[i] ? "too few" : inUnit(m.unit, m.values[i]?.mean ?? 0, currency)}
                  </Asked>
                  {i > 0 && <Difference m={m} i={i} />}
                </>
              ),
            })),
          ]}
        />
      </Section>
      <Section title="How long jobs wait to start" aside="share of all jobs that start within a time">
        <Suspense fallback={<Waiting what="the chart" />}>
          <DelayChart
            series={c.outcomes.map((o, i) => ({ name: name(i), curve: o.groups[0]?.curve ?? [] }))}
          />
        </Suspense>
      </Section>
      <Section title="What differs in the design">
        {c.design.length === 0 ? (
          <p>Nothing: the designs are the same.</p>
        ) : (
          <DataTable
            name="design"
            rows={c.design}
            rowKey={(d) => d.path}
            columns={[
              {
                title: "field",
                value: (d) => d.path,
                show: (d) => <span className="font-mono text-sm">{d.path}</span>,
              },
              ...c.outcomes.map((o, i) => ({
                title: `${c.scenarios[i]} (${o.id})`,
                right: true,
                value: (d: Schemas["Change"]) => d.values[i] || "–",
              })),
            ]}
          />
        )}
      </Section>
    </>
  );
}

/** A time of every outcome as bars on one scale. */
function Bars({
  title,
  lists,
  c,
  name,
}: {
  title: string;
  lists: Segment[][];
  c: Schemas["ComparedOutcomes"];
  name: (i: number) => string;
}) {
  const longest = Math.max(...lists.map(total));
  const kinds = inOrder([...new Map(lists.flat().map((s) => [s.key, s])).values()]);
  return (
    <Section title={title} aside="on one scale">
      <div className="space-y-3">
        {c.outcomes.map((o, i) => (
          <div key={o.id} className="grid grid-cols-1 items-center gap-x-3 sm:grid-cols-[12rem_1fr_6rem]">
            <Link to={`/outcomes/${o.id}`} className="link truncate">
              {name(i)}
            </Link>
            <Bar list={lists[i] ?? []} whole={longest} label={`${title}, ${name(i)}`} tall />
            <span className="sm:text-right">{duration(total(lists[i] ?? []))}</span>
          </div>
        ))}
      </div>
      <div className="mt-3">
        <Key list={kinds} times={false} />
      </div>
      <SaveBars
        title={title}
        rows={c.outcomes.map((_, i) => ({ label: name(i), list: lists[i] ?? [] }))}
        whole={longest}
      />
    </Section>
  );
}

/** One outcome's difference to the first, and whether it is sure. */
function Difference({ m, i }: { m: Metric; i: number }) {
  const d = m.differences[i];
  if (m.tooFew[0] || m.tooFew[i]) return null;
  if (!d || d.mean === 0) return <div className="text-xs opacity-75">the same</div>;
  const sure = m.sure[i] && m.sureAlike[i];
  const write = (x: number) =>
    m.unit === "share" ? `${(100 * x).toFixed(1)} points` : inUnit(m.unit, x, "");
  return (
    <div className={`text-xs ${sure ? "" : "opacity-75"}`}>
      {signed(d.mean, write)}
      {reach(d) > 0 && ` ± ${write(reach(d))}`}
      {!sure && d.runs > 1 && (m.sure[i] ? " (this week only)" : " (unsure)")}
    </div>
  );
}
