import type { Schemas } from "../../api/client";
import { DataTable } from "../../parts/DataTable";
import { Section } from "../../parts/Section";
import { verdictInk } from "../../parts/verdictInk";
import { Asked } from "../../parts/Why";

type Result = Schemas["Outcome"];
type Aimed = Schemas["Aimed"];

/** What the design must keep, and whether it does. */
export function Aims({ id, o }: { id: number; o: Result }) {
  const aims = o.aims ?? [];
  if (aims.length === 0) return null;
  const several = aims.some((x) => x.weeks);
  return (
    <Section
      title="Its aims"
      id="part-aims"
      aside={
        o.recorded ? "what the design must keep; of the time that was recorded" : "what the design must keep"
      }
    >
      <DataTable<Aimed>
        name={`outcome-${id}-aims`}
        rows={aims}
        rowKey={(x) => x.says}
        columns={[
          {
            title: "aim",
            value: (x) => x.says,
            show: (x) => <span className="inline-block min-w-48">{x.says}</span>,
          },
          {
            title: several ? "as recorded" : "",
            value: (x) => x.verdict,
            show: (x) => (
              <b className={verdictInk(x.verdict)}>
                {x.runs < 2 && x.verdict === "not decided" ? "not decided by one run" : x.verdict}
              </b>
            ),
          },
          {
            title: "it is",
            right: true,
            value: (x) => x.is,
            show: (x) => <Asked of={`aim/${aims.indexOf(x) + 1}`}>{x.reads}</Asked>,
          },
          ...(several
            ? [
                {
                  title: "in weeks like them",
                  value: (x: Aimed) => x.weeks?.verdict ?? "",
                  show: (x: Aimed) =>
                    x.weeks ? (
                      <>
                        <b className={verdictInk(x.weeks.verdict)}>{x.weeks.verdict}</b>{" "}
                        <span className="whitespace-nowrap">({x.weeks.reads})</span>
                      </>
                    ) : (
                      "–"
                    ),
                },
              ]
            : []),
        ]}
      />
    </Section>
  );
}
