import { useQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import type { Schemas } from "../../api/client";
import { jobs } from "../../api/queries";
import { DataTable } from "../../parts/DataTable";
import { onlyDelay, Ribbon } from "../../parts/Ribbon";
import { Section, Trouble, Waiting } from "../../parts/Section";
import { count, duration, moment, money } from "../../words";

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

/** Every job of the first repeat, page by page, and the ways to take them away. */
export function Jobs({ id, o }: { id: number; o: Schemas["Outcome"] }) {
  const [query, setQuery] = useSearchParams();
  const from = Number(query.get("jobs") ?? 0);
  const found = useQuery(jobs(id, from, perPage));
  const go = (to: number) =>
    setQuery(
      (q) => {
        q.set("jobs", String(Math.max(0, to)));
        return q;
      },
      { preventScrollReset: true },
    );
  const explain = (job: string) =>
    setQuery(
      (q) => {
        q.set("job", job);
        return q;
      },
      { preventScrollReset: true },
    );
  if (found.error) return <Trouble error={found.error} />;
  if (!found.data) return <Waiting what="the jobs" />;
  const page = found.data;
  const whole = Math.max(1, ...page.items.map((r) => r.delayNs));
  return (
    <Section
      title="Every job"
      aside={
        <>
          jobs{" "}
          {["csv", "jsonl", "parquet"].map((form) => (
            <a key={form} className="link mr-2" href={`/api/v1/outcomes/${id}/export?what=jobs&form=${form}`}>
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
      <DataTable<Row>
        name={`outcome-${id}-jobs-${from}`}
        rows={page.items}
        rowKey={(r) => r.id}
        columns={[
          {
            title: "job",
            value: (r) => r.id,
            show: (r) => (
              <button type="button" className="link whitespace-nowrap" onClick={() => explain(r.id)}>
                {r.id}
              </button>
            ),
          },
          {
            title: "submitted",
            value: (r) => r.submitted,
            show: (r) => <span className="whitespace-nowrap">{moment(r.submitted, o.zone)}</span>,
          },
          {
            title: "template",
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
            right: true,
            value: (r) => r.delayNs,
            show: (r) => (r.delayNs < 0 ? "never" : duration(r.delayNs)),
          },
          {
            title: "lead time",
            right: true,
            value: (r) => r.leadNs,
            show: (r) => (r.leadNs < 0 ? "–" : duration(r.leadNs)),
          },
          { title: "result", value: (r) => r.result + (r.lost > 0 ? `, ${r.lost} lost` : "") },
          {
            title: `${o.cost.currency} of nodes`,
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
          Earlier
        </button>
        <span>
          {count(from + 1)} to {count(from + page.items.length)} of {count(page.jobs)}
        </span>
        <button type="button" className="btn btn-sm" disabled={!page.next} onClick={() => go(from + perPage)}>
          Later
        </button>
      </div>
    </Section>
  );
}
