import { useQuery } from "@tanstack/react-query";
import type { Schemas } from "../../api/client";
import { part } from "../../api/queries/outcomes";
import { DataTable } from "../../parts/DataTable";
import { Legend, onlyDelay, Ribbon } from "../../parts/Ribbon";
import { Section, Trouble, Waiting } from "../../parts/Section";
import { count, duration, moment, money, percent } from "../../words";
import { useWhich } from "./useWhich";

/** What became of the jobs that came in the time that is brushed: how long they waited, for what, and what it cost. */
export function Brushed({ id, o }: { id: number; o: Schemas["Outcome"] }) {
  const { which, brushed, whole } = useWhich(o);
  const found = useQuery({ ...part(id, { from: which.from, to: which.to }), enabled: brushed });
  if (!brushed) return null;
  return (
    <Section
      id="brushed"
      title="In the time that is brushed"
      aside={
        <button type="button" id="whole" className="link" onClick={whole}>
          All of the time
        </button>
      }
    >
      {found.error ? <Trouble error={found.error} /> : !found.data && <Waiting what="this part" />}
      {found.data && <Told id={id} p={found.data} zone={o.zone} />}
    </Section>
  );
}

const within = (ns?: number) => (ns === undefined ? "too few" : duration(ns));

function Told({ id, p, zone }: { id: number; p: Schemas["Slice"]; zone: string }) {
  const longest = Math.max(1, ...p.classes.map((c) => c.delay.meanNs));
  return (
    <>
      <p className="max-w-3xl">
        {moment(p.from, zone)} to {moment(p.to, zone)}, the first repeat: <b>{count(p.jobs)}</b>{" "}
        {p.jobs === 1 ? "job" : "jobs"}
        {p.started > 0 && (
          <>
            , half started within <b>{within(p.delay.p50Ns)}</b>, 95 % within <b>{within(p.delay.p95Ns)}</b>,
            the last after {duration(p.delay.maxNs)}
          </>
        )}
        {p.wrong > 0 && (
          <>
            ; <b>{count(p.wrong)}</b> {p.wrong === 1 ? "goes" : "go"} wrong for good
          </>
        )}
        . Nodes cost <b>{money(p.money, p.currency)}</b>; the jobs' own share of nodes is{" "}
        {money(p.own, p.currency)}.
      </p>
      {p.jobs > 0 && (
        <>
          <div className="mt-3">
            <Ribbon
              ns={onlyDelay(p.ribbonNs)}
              whole={Math.max(1, p.delay.meanNs)}
              label="mean start delay in this time"
            />
            <div className="mt-2">
              <Legend ns={onlyDelay(p.ribbonNs)} />
            </div>
          </div>
          <div className="mt-3 grid gap-x-10 gap-y-3 *:min-w-0 lg:grid-cols-2">
            <DataTable
              name={`outcome-${id}-brushed-causes`}
              rows={p.causes.filter((c) => c.share >= 0.0005)}
              rowKey={(c) => c.cause}
              columns={[
                { title: "waiting for", value: (c) => c.label },
                {
                  title: "job-hours",
                  right: true,
                  value: (c) => c.jobHours,
                  show: (c) => c.jobHours.toFixed(c.jobHours < 10 ? 2 : 1),
                },
                { title: "share", right: true, value: (c) => c.share, show: (c) => percent(c.share, 1) },
              ]}
            />
            <DataTable
              name={`outcome-${id}-brushed-classes`}
              rows={p.classes}
              rowKey={(c) => c.name}
              columns={[
                { title: "jobs of", value: (c) => c.name },
                {
                  title: "mean start delay",
                  wide: true,
                  value: (c) => c.delay.meanNs,
                  show: (c) => (
                    <Ribbon ns={onlyDelay(c.ribbonNs)} whole={longest} label={`start delay of ${c.name}`} />
                  ),
                },
                {
                  title: "mean",
                  right: true,
                  value: (c) => c.delay.meanNs,
                  show: (c) => (c.delay.maxNs > 0 ? duration(c.delay.meanNs) : "–"),
                },
                {
                  title: "95 % within",
                  right: true,
                  value: (c) => c.delay.p95Ns ?? 0,
                  show: (c) => within(c.delay.p95Ns),
                },
                { title: "jobs", right: true, value: (c) => c.jobs, show: (c) => count(c.jobs) },
              ]}
            />
          </div>
        </>
      )}
    </>
  );
}
