import { useQuery, useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense, useMemo, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, type Schemas, take } from "../api/client";
import { usual } from "../api/queries/documents";
import { live, liveJobs } from "../api/queries/live";
import { Bar } from "../parts/Bar";
import { DataTable } from "../parts/DataTable";
import { Notice, Section, Trouble, Waiting } from "../parts/Section";
import { useTitle } from "../parts/useTitle";
import { asWritten, count, duration, here } from "../words";
import { Agents, Count } from "./live/Agents";
import type { Line } from "./live/OverTime";

const OverTime = lazy(() => import("./live/OverTime"));

type Job = Schemas["LiveJob"];
type State = Job["state"];

const states: (State | "")[] = ["", "waiting", "running", "ended", "silent"];

/** Jobs as build systems told them while they happened. */
export function Live() {
  useTitle("Live");
  const [state, setState] = useState<State | "">("");
  const [query] = useSearchParams();
  const usually = useQuery(usual(query.get("beside") ?? ""));
  const sum = useQuery(live);
  const jobs = useQuery(liveJobs(state));
  if (sum.error) return <Trouble error={sum.error} />;
  if (!sum.data) return <Waiting what="what happened" />;
  const l = sum.data;
  return (
    <>
      <div className="mt-8 flex flex-wrap items-baseline justify-between gap-x-4">
        <h1 className="font-semibold text-2xl">Live</h1>
        <p className="text-sm opacity-80">agents and jobs, while they happen</p>
      </div>
      <Agents />
      {l.runs === 0 ? (
        <Notice>
          No jobs have been reported yet. A build system, or an OpenTelemetry Collector, reports them with a
          token of its own: <code>tachyphor token new collector</code>, then CloudEvents to{" "}
          <code>/api/v1/events</code> or traces to <code>/v1/traces</code>. One that stands in:{" "}
          <code>tachyphor pretend jobs demo/scenarios/weekday-lean.yaml</code>
        </Notice>
      ) : (
        <>
          <p id="sum" className="mt-8 max-w-4xl">
            {count(l.runs)} runs from {asWritten(l.from ?? "")} to {asWritten(l.to ?? "")} UTC, pipelines
            among them; {count(l.open)} without an end. Last heard {l.heard ? here(l.heard) : "never"}. Kept
            for {count(l.days)} days, {count(l.most)} at most.
          </p>
          <dl id="queue" className="mt-3 flex flex-wrap gap-x-8 gap-y-1">
            <Count
              name="jobs waiting"
              n={l.queue.waiting}
              band={usually.data?.hours[usually.data.hour]?.waiting}
            />
            <Count name="jobs running" n={l.queue.running} />
          </dl>
          {l.queue.before.length > 1 && <Queue before={l.queue.before} week={usually.data} />}
          {l.turned > 0 && (
            <Notice>
              {count(l.turned)} messages were refused because there was no room, since the service's start;
              their senders were asked to send them again.
            </Notice>
          )}
          <Section
            title="Newest jobs"
            aside={
              <label className="flex items-center gap-2">
                shown
                <select
                  id="state"
                  className="select select-sm w-auto"
                  value={state}
                  onChange={(e) => setState(e.target.value as State | "")}
                >
                  {states.map((s) => (
                    <option key={s} value={s}>
                      {s || "all"}
                    </option>
                  ))}
                </select>
              </label>
            }
          >
            {jobs.error && <Trouble error={jobs.error} />}
            {jobs.data && <Jobs of={jobs.data.items} />}
          </Section>
          <Cut from={l.from ?? ""} to={l.to ?? ""} />
        </>
      )}
    </>
  );
}

/** Jobs that waited and ran over the last hours, beside how many usually wait. */
function Queue({ before, week }: { before: Schemas["QueueMoment"][]; week?: Schemas["Usual"] }) {
  const [at, lines] = useMemo<[string[], Line[]]>(
    () => [
      before.map((m) => m.at),
      [
        {
          name: "jobs waiting",
          values: before.map((m) => m.waiting),
          colour: "--phase-node",
          usual: (h) => h.waiting,
        },
        { name: "jobs running", values: before.map((m) => m.running), colour: "--phase-work" },
      ],
    ],
    [before],
  );
  return (
    <Suspense>
      <OverTime at={at} lines={lines} week={week} label="jobs waiting and running over the last hours" />
    </Suspense>
  );
}

const parts = (j: Job) => [
  { key: "waited", name: "waited", ns: j.waitedNs ?? 0, colour: "var(--phase-held)" },
  { key: "took", name: "took", ns: j.tookNs ?? 0, colour: "var(--phase-work)" },
];

function Jobs({ of }: { of: Job[] }) {
  if (of.length === 0) return <p className="opacity-80">None of the newest 4,000 runs.</p>;
  const most = Math.max(...of.map((j) => (j.waitedNs ?? 0) + (j.tookNs ?? 0)), 1);
  return (
    <DataTable<Job>
      name="live-jobs"
      rows={of}
      rowKey={(j) => `${j.source} ${j.id}`}
      columns={[
        {
          title: "job",
          value: (j) => j.id,
          show: (j) => (
            <span className="block max-w-56 truncate" title={`${j.id} of ${j.source}`}>
              {j.id}
            </span>
          ),
        },
        {
          title: "name",
          value: (j) => j.name ?? "",
          show: (j) => (
            <span className="block max-w-48 truncate" title={j.name}>
              {j.name}
            </span>
          ),
        },
        { title: "state", value: (j) => j.state },
        { title: "result", value: (j) => (j.state === "ended" ? (j.result ?? "") : "") },
        {
          title: "asked (UTC)",
          value: (j) => j.submitted ?? "",
          show: (j) => <span className="whitespace-nowrap">{asWritten(j.submitted ?? "")}</span>,
        },
        {
          title: "waited",
          right: true,
          value: (j) => j.waitedNs ?? -1,
          show: (j) => (j.waitedNs === undefined ? "not told" : duration(j.waitedNs)),
        },
        {
          title: "took",
          right: true,
          value: (j) => j.tookNs ?? -1,
          show: (j) => (j.tookNs === undefined ? "–" : duration(j.tookNs)),
        },
        {
          title: "waited and took",
          wide: true,
          value: (j) => (j.waitedNs ?? 0) + (j.tookNs ?? 0),
          show: (j) => <Bar list={parts(j)} whole={most} label={j.id} />,
        },
      ]}
    />
  );
}

/** A workload of what happened in a time. */
function Cut({ from, to }: { from: string; to: string }) {
  const queries = useQueryClient();
  const [first, setFirst] = useState(from.slice(0, 10));
  const [last, setLast] = useState(to.slice(0, 10));
  const [project, setProject] = useState("");
  const [name, setName] = useState("");
  const [error, setError] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const [got, setGot] = useState<Schemas["LearnedJobs"] | null>(null);
  const cut = async () => {
    setError(null);
    setBusy(true);
    try {
      const until = new Date(`${last}T00:00:00Z`);
      until.setUTCDate(until.getUTCDate() + 1);
      const answer = take(
        await api.POST("/api/v1/live/cut", {
          body: {
            from: `${first}T00:00:00Z`,
            until: until.toISOString(),
            project: project.trim() || undefined,
            into: name.trim() || undefined,
          },
        }),
      );
      if (answer.refused) throw new Error(answer.refused);
      setGot(answer);
      await queries.invalidateQueries({ queryKey: ["workloads"] });
    } catch (problem) {
      setError(problem);
    }
    setBusy(false);
  };
  const field = (id: string, says: string, value: string, set: (s: string) => void, type = "text") => (
    <label className="flex items-center gap-2">
      {says}
      <input
        id={id}
        type={type}
        className="input input-sm w-auto"
        value={value}
        onChange={(e) => set(e.target.value)}
      />
    </label>
  );
  return (
    <Section title="Make a workload of it" aside="as from any job log">
      <div className="flex flex-wrap items-center gap-x-5 gap-y-2 text-sm">
        {field("first", "from", first, setFirst, "date")}
        {field("last", "to", last, setLast, "date")}
        {field("project", "only project", project, setProject)}
        {field("name", "store as", name, setName)}
        <button type="button" id="cut" className="btn btn-primary btn-sm" disabled={busy} onClick={cut}>
          {busy ? "Cutting …" : name.trim() ? "Store" : "Look"}
        </button>
      </div>
      {error !== null && <Trouble error={error} />}
      {got && (
        <p id="cut-says" className="mt-3 max-w-4xl" role="status">
          {count(got.jobs)} jobs of {got.classes.length} {got.classes.length === 1 ? "class" : "classes"}:{" "}
          {got.classes.map((c) => `${c.name} ${count(c.jobs)}`).join(", ")}.{" "}
          {got.stored && (
            <>
              Stored:{" "}
              <Link
                className="link"
                to={`/workloads/${got.stored.name}`}
              >{`Workload ${got.stored.name}`}</Link>
              .
            </>
          )}
        </p>
      )}
    </Section>
  );
}
