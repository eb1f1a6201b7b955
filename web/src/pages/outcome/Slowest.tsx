import type { Schemas } from "../../api/client";
import { DataTable } from "../../parts/DataTable";
import { Section } from "../../parts/Section";
import { useAddress } from "../../parts/useAddress";
import { duration, moment } from "../../words";
import { Explanation } from "./Explanation";
import { useWhich } from "./useWhich";

type Result = Schemas["Outcome"];

/** The jobs that waited longest; one of them, named in the address, is explained. */
export function Slowest({ id, o }: { id: number; o: Result }) {
  const { query, change } = useAddress();
  const { brushed, from, to } = useWhich(o);
  const came = (j: { submitted: string }) => {
    const at = new Date(j.submitted).getTime();
    return !brushed || (at >= from && at < to);
  };
  const slowest = o.slowest.filter(came);
  const job = query.get("job");
  const pick = (name: string | null) => change({ job: name ?? "" });
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
      {brushed && slowest.length === 0 && (
        <p className="mb-2 text-sm">
          None of the {o.slowest.length} that waited longest came in the time that is brushed: sort the jobs
          below by their delay.
        </p>
      )}
      <DataTable
        name={`outcome-${id}-slowest`}
        rows={slowest}
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
