import { lazy, Suspense, useMemo } from "react";
import type { Schemas } from "../../api/client";
import { DataTable } from "../../parts/DataTable";
import { Section } from "../../parts/Section";
import { Asked } from "../../parts/Why";
import { asWritten, bound, count, day, duration, few, money } from "../../words";

const Week = lazy(() => import("./Week"));

type Result = Schemas["Forecast"];
type Band = Schemas["Band"];

const between = (b: Band, write: (x: number) => string) => `${write(b.low)} to ${write(b.high)}`;
const onDay = (iso: string) => day(iso, { weekday: "short" });

/** What to expect of a week. */
export function Answer({ f }: { f: Result }) {
  const hours = useMemo(() => {
    const of = (pick: (h: Schemas["HourAhead"]) => Band) => f.hours.map(pick);
    return {
      jobs: of((h) => h.jobs),
      delay: f.hours.map((h) => (h.jobs.mid >= 1 ? h.delayNs : null)),
      waiting: of((h) => h.waiting),
      nodes: of((h) => h.nodes),
      cameJobs: f.came?.byTime.map((h) => h.jobs),
      cameDelay: f.came?.byTime.map((h) => h.delayNs ?? null),
    };
  }, [f]);
  const [first, ...more] = f.says;
  const week: { of: string; what: string; band: Band; write: (x: number) => string }[] = [
    { of: "jobs", what: "jobs", band: f.jobs, write: count },
    { of: "bill", what: "bill", band: f.bill, write: (x) => money(x, f.currency) },
    ...f.delay.map((d) => ({
      of: `delay/${d.p}`,
      what: `start delay, ${d.p} %`,
      band: d.delayNs,
      write: duration,
    })),
  ];
  return (
    <>
      <p id="says" className="mt-6 max-w-4xl text-lg">
        {bound(first ?? "")}
      </p>
      {more.map((s) => (
        <p key={s} className="mt-1 max-w-4xl">
          {bound(s)}
        </p>
      ))}
      <p className="mt-1 max-w-4xl text-sm opacity-80">
        {f.repeats} weeks drawn, day by day, from {f.drawn === 1 ? "one week" : `${f.drawn} weeks`} before,
        and simulated as the scenario is now; hours are those of {f.zone}.
      </p>
      {f.came && <Came c={f.came} />}
      <div className="mt-4 grid gap-x-8 lg:grid-cols-2">
        <Section title="Jobs an hour" aside="that come">
          <Suspense>
            <Week
              label="jobs an hour"
              expected={hours.jobs}
              came={hours.cameJobs}
              write={few}
              colour="--color-primary"
              height={240}
            />
          </Suspense>
        </Section>
        <Section title="Start delay" aside="mean of the jobs of an hour">
          <Suspense>
            <Week
              label="mean start delay"
              expected={hours.delay}
              came={hours.cameDelay}
              write={duration}
              logarithmic
              colour="--phase-setup"
              height={240}
            />
          </Suspense>
        </Section>
        <Section title="Jobs waiting" aside="on average in an hour">
          <Suspense>
            <Week
              label="jobs waiting"
              expected={hours.waiting}
              write={few}
              colour="--phase-node"
              height={240}
            />
          </Suspense>
        </Section>
        <Section title="Nodes" aside="booting ones included">
          <Suspense>
            <Week label="nodes" expected={hours.nodes} write={few} colour="--phase-image" height={240} />
          </Suspense>
        </Section>
      </div>
      <Section title="Long queues" aside="hours in which jobs wait two minutes or longer on average">
        {f.queues.length === 0 ? (
          <p>In most runs there is none.</p>
        ) : (
          <ul id="queues" className="list-disc space-y-1 pl-5">
            {f.queues.map((q, i) => (
              <li key={q.says}>
                <Asked of={`queue/${i + 1}/delay`}>
                  {bound(q.says.charAt(0).toUpperCase() + q.says.slice(1))}
                </Asked>
              </li>
            ))}
          </ul>
        )}
      </Section>
      <Section title="The week" aside="nine in ten weeks are between">
        <DataTable
          name="forecast-week"
          rows={week}
          rowKey={(r) => r.of}
          columns={[
            { title: "what", value: (r) => r.what },
            {
              title: "expected",
              right: true,
              value: (r) => r.band.mid,
              show: (r) => <Asked of={r.of}>{r.write(r.band.mid)}</Asked>,
            },
            {
              title: "between",
              right: true,
              value: (r) => r.band.low,
              show: (r) => between(r.band, r.write),
            },
          ]}
        />
      </Section>
      <Section title="Day by day">
        <DataTable
          name="forecast-days"
          rows={f.days}
          rowKey={(d) => d.day}
          columns={[
            { title: "day", value: (d) => d.day, show: (d) => onDay(d.day) },
            {
              title: "jobs",
              right: true,
              value: (d) => d.jobs.mid,
              show: (d) => <Asked of={`day/${f.days.indexOf(d) + 1}/jobs`}>{count(d.jobs.mid)}</Asked>,
            },
            {
              title: "between",
              right: true,
              value: (d) => d.jobs.low,
              show: (d) => between(d.jobs, count),
            },
            {
              title: "90 % start within",
              right: true,
              value: (d) => d.delayNs.mid,
              show: (d) => <Asked of={`day/${f.days.indexOf(d) + 1}/delay`}>{duration(d.delayNs.mid)}</Asked>,
            },
            {
              title: "between ",
              right: true,
              value: (d) => d.delayNs.low,
              show: (d) => between(d.delayNs, duration),
            },
          ]}
        />
      </Section>
      <Section title="What it rests on" aside="whole weeks before, from Monday on">
        <DataTable
          name="forecast-weeks"
          rows={f.weeks}
          rowKey={(w) => w.monday}
          columns={[
            { title: "week of", value: (w) => w.monday, show: (w) => onDay(w.monday) },
            { title: "jobs", right: true, value: (w) => w.jobs, show: (w) => count(w.jobs) },
            {
              title: "",
              value: (w) => (w.odd ? 1 : w.drawn ? 0 : 2),
              show: (w) =>
                w.odd ? "unlike the others: left out" : w.drawn ? "days are drawn from it" : "for the level",
            },
          ]}
        />
        <p className="mt-2 text-sm opacity-80">
          By these weeks <Asked of="level">{count(f.level.expected)} jobs</Asked> are expected. {f.level.says}
        </p>
      </Section>
    </>
  );
}

/** How far it came true, of days that are over. */
function Came({ c }: { c: Schemas["CameAhead"] }) {
  return (
    <Section id="came" title="How it came" aside={`until ${asWritten(c.until).slice(0, 10)}`}>
      <p className="mb-3 max-w-4xl">{bound(c.says)}</p>
      <DataTable
        name="forecast-came"
        rows={c.held}
        rowKey={(h) => h.what}
        columns={[
          { title: "what", value: (h) => h.what },
          {
            title: "expected",
            right: true,
            value: (h) => h.expected.mid,
            show: (h) => (
              <Asked of={`came/${c.held.indexOf(h) + 1}/expected`}>
                {between(h.expected, h.unit === "ns" ? duration : count)}
              </Asked>
            ),
          },
          {
            title: "came",
            right: true,
            value: (h) => h.observed,
            show: (h) => (
              <Asked of={`came/${c.held.indexOf(h) + 1}/observed`}>
                {(h.unit === "ns" ? duration : count)(h.observed)}
              </Asked>
            ),
          },
          {
            title: "",
            value: (h) => (h.within ? 0 : 1),
            show: (h) => !h.within && <span className="text-warning">outside</span>,
          },
        ]}
      />
    </Section>
  );
}
