import { DataTable } from "../../parts/DataTable";
import { Section } from "../../parts/Section";
import { money, percent } from "../../words";
import type { Answer } from "./verdict";

/** What the same nodes would cost if they did not come and go. */
export function Staying({ a }: { a: Answer }) {
  const s = a.staysOn;
  if (!s) return null;
  const designs = [
    { what: "as it is", bills: s.today },
    ...(s.best ? [{ what: "recommended", bills: s.best }] : []),
  ];
  const rows = designs.flatMap(({ what, bills }) => [
    { what, unit: "a month", bills, times: 1 },
    { what, unit: "a year", bills, times: 12 },
  ]);
  type Row = (typeof rows)[number];
  const amount = (title: string, of: (r: Row) => number) => ({
    title,
    right: true,
    value: (r: Row) => r.times * of(r),
    show: (r: Row) => money(r.times * of(r), a.currency),
  });
  return (
    <Section
      id="staying"
      title="On demand against always on"
      aside="as many nodes as there are at most at once"
    >
      <DataTable
        name={`staying-${a.scenario}`}
        rows={rows}
        rowKey={(r) => `${r.what} ${r.unit}`}
        columns={[
          { title: "design", value: (r) => r.what },
          { title: "bill", value: (r) => r.unit },
          amount("on demand", (r) => r.bills.asItIsPerMonth.mean),
          amount(`off outside ${s.hours}`, (r) => r.bills.inHoursPerMonth.mean),
          amount("always on", (r) => r.bills.alwaysPerMonth.mean),
        ]}
      />
      <p className="mt-1 text-sm">
        {percent(s.outside, 0)} of the jobs come outside {s.hours}: with agents off they wait until then.
      </p>
    </Section>
  );
}
