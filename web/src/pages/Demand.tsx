import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import type { Schemas } from "../api/client";
import { demand, matches, scenarios } from "../api/queries/documents";
import { DataTable } from "../parts/DataTable";
import { Heat } from "../parts/Heat";
import { Section, Trouble, Waiting } from "../parts/Section";
import { useAddress } from "../parts/useAddress";
import { useTitle } from "../parts/useTitle";
import { asWritten, bytes, count, duration, percent } from "../words";

type Class = Schemas["SeenClass"];

/** share of the jobs a class was learned from, 0 to 1. */
const share = (n: number | undefined, c: Class) => (n ?? 0) / Math.max(1, c.ended?.jobs ?? 0);

/** ended writes how many ended so, with their share. */
const ended = (n: number | undefined, c: Class) =>
  c.ended ? `${count(n ?? 0)} (${percent(share(n, c), 1)})` : "–";

/** A workload: when its jobs come, what its classes are, and which template each gets. */
export function Demand() {
  const { name = "" } = useParams();
  useTitle(name);
  const found = useQuery(demand(name));
  const all = useQuery(scenarios);
  const { query, change } = useAddress();
  const mine = all.data?.items.filter((s) => s.workload === name).map((s) => s.name) ?? [];
  const scenario = query.get("scenario") ?? mine[0] ?? "";
  const got = useQuery(matches(name, scenario));
  if (found.error) return <Trouble error={found.error} />;
  if (!found.data) return <Waiting what={`workload ${name}`} />;
  const d = found.data;
  const most = Math.max(...d.hours, 1e-9);
  const template = (c: Class) => got.data?.classes.find((m) => m.class === c.name);
  const nobody = (c: Class) => (template(c)?.templates.length === 0 ? 0 : 1);
  const rows = got.data ? [...d.classes].sort((a, b) => nobody(a) - nobody(b)) : d.classes;
  return (
    <>
      <div className="mt-8">
        <h1 className="font-semibold text-2xl">{d.name}</h1>
        <p className="max-w-3xl">
          {d.note} Revision {d.revision}.{" "}
          {d.recorded && d.from && d.to ? (
            <>
              <b>{count(d.jobs)}</b> recorded jobs, {asWritten(d.from)} to {asWritten(d.to)} UTC.
            </>
          ) : (
            "Jobs are made by its classes."
          )}
        </p>
      </div>
      <Section title="When they come" aside={`jobs an hour, by hour of the week in ${d.zone}`}>
        <div className="max-w-2xl">
          <Heat title={d.recorded ? "as recorded" : "on average"} of={d.hours} most={most} />
        </div>
      </Section>
      <Section
        title="Classes"
        aside={
          mine.length > 0 && (
            <label className="flex items-center gap-2">
              templates of
              <select
                id="scenario"
                className="select select-sm w-auto"
                value={scenario}
                onChange={(e) => change({ scenario: e.target.value })}
              >
                {mine.map((s) => (
                  <option key={s}>{s}</option>
                ))}
              </select>
            </label>
          )
        }
      >
        {got.error && <Trouble error={got.error} />}
        <DataTable<Class>
          name={`${d.name}-classes`}
          rows={rows}
          rowKey={(c) => c.name}
          columns={[
            { title: "class", value: (c) => c.name },
            { title: "a week", right: true, value: (c) => c.perWeek, show: (c) => count(c.perWeek) },
            { title: "wants", value: (c) => c.wants.join(" ") },
            {
              title: "gets",
              value: (c) => template(c)?.templates[0] ?? "",
              show: (c) => {
                const m = template(c);
                if (!m) return "–";
                if (m.templates[0]) {
                  return (
                    <Link className="link" to={`/templates/${m.templates[0]}`}>
                      {m.templates[0]}
                    </Link>
                  );
                }
                return (
                  <span className="font-medium text-error">
                    none
                    {m.nearest &&
                      ((m.missing ?? []).length === 0
                        ? ": all take only jobs that name something they offer"
                        : `: ${m.nearest} lacks ${(m.missing ?? []).join(", ")}`)}
                  </span>
                );
              },
            },
            {
              title: "half work more than",
              right: true,
              value: (c) => c.medianNs,
              show: (c) => duration(c.medianNs),
            },
            { title: "5 % more than", right: true, value: (c) => c.p95Ns, show: (c) => duration(c.p95Ns) },
            {
              title: "memory, 95 %",
              right: true,
              value: (c) => c.memoryP95 ?? 0,
              show: (c) => (c.memoryP95 ? bytes(c.memoryP95) : "–"),
            },
            ...(rows.some((c) => c.ended)
              ? [
                  {
                    title: "failed",
                    right: true,
                    value: (c: Class) => share(c.ended?.failed, c),
                    show: (c: Class) => ended(c.ended?.failed, c),
                  },
                  {
                    title: "cut short",
                    right: true,
                    value: (c: Class) => share(c.ended?.cut, c),
                    show: (c: Class) => ended(c.ended?.cut, c),
                  },
                ]
              : []),
            {
              title: "comes",
              value: (c) =>
                [
                  c.follows && `after ${c.follows}`,
                  c.chained > 0 && !c.follows && `${percent(c.chained)} after another`,
                  ...(c.bursts ?? []).map((b) => `many at ${b}`),
                ]
                  .filter(Boolean)
                  .join("; "),
            },
          ]}
        />
      </Section>
    </>
  );
}
