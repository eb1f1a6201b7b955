import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { DataTable } from "../../parts/DataTable";
import { Section } from "../../parts/Section";
import { amount, count, duration, moment, percent } from "../../words";

/** Which workspaces jobs read, and which builds saved them. */
export function Workspaces({ id, o }: { id: number; o: Schemas["Outcome"] }) {
  const list = o.cache?.entries ?? [];
  if (!o.cache || list.length === 0) return null;
  return (
    <Section
      title="Most read workspaces"
      aside="the first repeat"
      answer={`${percent(o.cache.found.mean)} of jobs find theirs up to date`}
    >
      <DataTable
        name={`outcome-${id}-workspaces`}
        rows={list}
        rowKey={(x) => `${x.scope} ${x.job} ${x.saved}`}
        columns={[
          { title: "of", value: (x) => (x.request ? `${x.scope}, a change request` : x.scope) },
          {
            title: "saved by",
            value: (x) => x.job,
            show: (x) => (
              <Link className="link" to={`/outcomes/${id}?job=${encodeURIComponent(x.job)}`}>
                {x.job}
              </Link>
            ),
          },
          { title: "at", value: (x) => x.saved, show: (x) => moment(x.saved, o.zone) },
          {
            title: "MB",
            right: true,
            value: (x) => amount(x.size),
            show: (x) => count(amount(x.size) / 1e6),
          },
          { title: "readers", right: true, value: (x) => x.readers, show: (x) => count(x.readers) },
          { title: "out of date for", right: true, value: (x) => x.stale, show: (x) => count(x.stale) },
          { title: "there for", right: true, value: (x) => x.livedNs, show: (x) => duration(x.livedNs) },
          { title: "then", value: (x) => x.how },
        ]}
      />
    </Section>
  );
}
