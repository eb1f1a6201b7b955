import { useQuery } from "@tanstack/react-query";
import type { Schemas } from "../../api/client";
import { type JobsAsked, jobs } from "../../api/queries/outcomes";
import { DataTable } from "../../parts/DataTable";
import { onlyDelay, Ribbon } from "../../parts/Ribbon";
import { Section, Trouble, Waiting } from "../../parts/Section";
import { count, duration, moment, money, results } from "../../words";
import { useWhich, type Which } from "./useWhich";

type Row = Schemas["JobRow"];

const perPage = 25;

const ribbon = (r: Row) => [
  r.heldNs,
  r.placingNs,
  r.nodeNs,
  r.imageNs,
  r.setupNs,
  r.joinNs,
  r.restoreNs,
  r.workNs,
  r.saveNs,
  r.wipeNs,
];

/** Every job of the first repeat, filtered and sorted by the service, page by page, and the ways to take them away. */
export function Jobs({ id, o }: { id: number; o: Schemas["Outcome"] }) {
  const { which, brushed, filtered, set, query } = useWhich(o);
  const from = Number(query.get("jobs") ?? 0);
  const by = (query.get("by") ?? "submitted") as NonNullable<JobsAsked["by"]>;
  const down = query.get("down") === "yes";
  const found = useQuery(jobs(id, { ...which, by, down, cursor: from, limit: perPage }));
  const go = (to: number) => set({ jobs: Math.max(0, to) });
  const explain = (job: string) => set({ job, jobs: from || undefined });
  if (found.error) return <Trouble error={found.error} />;
  if (!found.data) return <Waiting what="the jobs" />;
  const page = found.data;
  const whole = Math.max(1, ...page.items.map((r) => r.delayNs));
  const asked = new URLSearchParams(Object.entries(which)).toString();
  const some = brushed || filtered;
  return (
    <Section
      id="jobs"
      title={some ? "Jobs that are meant" : "Every job"}
      aside={
        <>
          {some ? "these jobs " : "jobs "}
          {["csv", "jsonl", "parquet"].map((form) => (
            <a
              key={form}
              className="link mr-2"
              href={`/api/v1/outcomes/${id}/export?what=jobs&form=${form}${asked && `&${asked}`}`}
            >
              {form}
            </a>
          ))}{" "}
          time lines{" "}
          {["csv", "jsonl", "parquet"].map((form) => (
            <a
              key={form}
              className="link mr-2"
              href={`/api/v1/outcomes/${id}/export?what=lines&form=${form}`}
            >
              {form}
            </a>
          ))}
        </>
      }
    >
      <Filters o={o} which={which} set={set} some={some} />
      <DataTable<Row>
        name={`outcome-${id}-jobs-${from}`}
        order={{ by, down, set: (key, turned) => set({ by: key, down: turned ? "yes" : undefined }) }}
        rows={page.items}
        rowKey={(r) => r.id}
        columns={[
          {
            title: "job",
            order: "id",
            value: (r) => r.id,
            show: (r) => (
              <button type="button" className="link whitespace-nowrap" onClick={() => explain(r.id)}>
                {r.id}
              </button>
            ),
          },
          {
            title: "submitted",
            order: "submitted",
            value: (r) => r.submitted,
            show: (r) => <span className="whitespace-nowrap">{moment(r.submitted, o.zone)}</span>,
          },
          {
            title: "template",
            order: "template",
            value: (r) => r.template || "none fits",
            show: (r) => <span className="whitespace-nowrap">{r.template || "none fits"}</span>,
          },
          {
            title: "start delay, on one scale",
            wide: true,
            value: (r) => r.delayNs,
            show: (r) => <Ribbon ns={onlyDelay(ribbon(r))} whole={whole} label={`start delay of ${r.id}`} />,
          },
          {
            title: "delay",
            order: "delay",
            right: true,
            value: (r) => r.delayNs,
            show: (r) => (r.delayNs < 0 ? "never" : duration(r.delayNs)),
          },
          {
            title: "lead time",
            order: "lead",
            right: true,
            value: (r) => r.leadNs,
            show: (r) => (r.leadNs < 0 ? "–" : duration(r.leadNs)),
          },
          {
            title: "result",
            order: "result",
            value: (r) => r.result + (r.lost > 0 ? `, ${r.lost} lost` : ""),
          },
          {
            title: `${o.cost.currency} of nodes`,
            order: "cost",
            right: true,
            value: (r) => r.costNano,
            show: (r) =>
              r.warmup && r.costNano === 0 ? (
                <span title="in the warm-up, which no figure counts">–</span>
              ) : (
                money(r.costNano / 1e9, "")
              ),
          },
        ]}
      />
      <div className="mt-2 flex items-center gap-3 text-sm">
        <button type="button" className="btn btn-sm" disabled={from === 0} onClick={() => go(from - perPage)}>
          Previous
        </button>
        <span id="jobs-count">
          {page.jobs === 0
            ? "none"
            : `${count(from + 1)} to ${count(from + page.items.length)} of ${count(page.jobs)}`}
        </span>
        <button type="button" className="btn btn-sm" disabled={!page.next} onClick={() => go(from + perPage)}>
          Next
        </button>
      </div>
    </Section>
  );
}

/** What jobs are filtered by; the brush on the time lines filters by when they came. */
function Filters({
  o,
  which,
  set,
  some,
}: {
  o: Schemas["Outcome"];
  which: Which;
  set: (changes: Record<string, string | undefined>) => void;
  some: boolean;
}) {
  const names = (by: string) => o.groups.filter((g) => g.by === by).map((g) => g.name);
  const lists: [keyof Which, string, [string, string][]][] = [
    ["class", "class", names("class").map((n) => [n, n])],
    [
      "template",
      "template",
      [...names("template").map((n): [string, string] => [n, n]), ["none", "none fits"]],
    ],
    ["cause", "waited for", o.causes.map((c) => [c.cause, c.label])],
    ["result", "result", results.map((r) => [r, r])],
  ];
  return (
    <div className="mb-2 flex flex-wrap items-end gap-x-4 gap-y-2 text-sm" id="filters">
      <label className="flex flex-col">
        in its name
        <input
          className="input input-sm w-40"
          type="search"
          defaultValue={which.text ?? ""}
          key={which.text ?? ""}
          onKeyDown={(e) => e.key === "Enter" && set({ text: e.currentTarget.value.trim() || undefined })}
          onBlur={(e) =>
            e.target.value.trim() !== (which.text ?? "") && set({ text: e.target.value.trim() || undefined })
          }
        />
      </label>
      {lists.map(([key, label, list]) => (
        <label key={key} className="flex min-w-0 flex-col">
          {label}
          <select
            id={`filter-${key}`}
            className="select select-sm w-44 max-w-full"
            value={which[key] ?? ""}
            onChange={(e) => set({ [key]: e.target.value || undefined })}
          >
            <option value="">any</option>
            {list.map(([value, says]) => (
              <option key={value} value={value}>
                {says}
              </option>
            ))}
          </select>
        </label>
      ))}
      {some && (
        <button
          type="button"
          id="unfiltered"
          className="link pb-1.5"
          onClick={() =>
            set({
              from: undefined,
              to: undefined,
              class: undefined,
              template: undefined,
              cause: undefined,
              result: undefined,
              text: undefined,
            })
          }
        >
          Every job
        </button>
      )}
    </div>
  );
}
