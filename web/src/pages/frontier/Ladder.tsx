import { DataTable } from "../../parts/DataTable";
import { Section } from "../../parts/Section";
import { duration, money } from "../../words";
import { Knob } from "./Knob";
import type { Answer } from "./verdict";

/** The changes that lead to what is recommended, one after the other. */
export function Ladder({ a }: { a: Answer }) {
  const now = a.variants[0];
  if (a.ladder.length === 0 || !now) return null;
  const rows = [
    { knob: "as it is", from: "", to: "", alone: undefined, added: now },
    ...a.ladder.map((r) => ({
      knob: r.knob,
      from: r.was,
      to: r.is,
      alone: r.alone.billPerMonth.runs > 0 ? r.alone : undefined,
      added: r.added,
    })),
  ];
  const longest = Math.max(...rows.map((r) => r.added.delayP95Ns.mean), 1);
  return (
    <Section
      id="ladder"
      title="The changes, those that bring most first"
      aside="each alone, and added to those before"
    >
      <DataTable
        name={`ladder-${a.scenario}`}
        rows={rows}
        rowKey={(r) => r.knob}
        columns={[
          { title: "change", value: (r) => r.knob, show: (r) => <Knob name={r.knob} /> },
          { title: "from", right: true, value: (r) => r.from },
          { title: "to", right: true, value: (r) => r.to },
          {
            title: "alone: 95 % within",
            right: true,
            value: (r) => (r.alone ? r.alone.delayP95Ns.mean / 1e9 : ""),
            show: (r) => (r.alone ? duration(r.alone.delayP95Ns.mean) : "–"),
          },
          {
            title: "a month",
            right: true,
            value: (r) => r.alone?.billPerMonth.mean ?? "",
            show: (r) => (r.alone ? money(r.alone.billPerMonth.mean, a.currency) : "–"),
          },
          {
            title: "added: 95 % within",
            wide: true,
            value: (r) => r.added.delayP95Ns.mean / 1e9,
            show: (r) => (
              <div className="flex items-center gap-2">
                <div className="h-3 grow bg-base-200">
                  <div
                    className="h-full bg-info"
                    style={{ width: `${(100 * r.added.delayP95Ns.mean) / longest}%` }}
                  />
                </div>
                <span className="w-24 shrink-0 text-right tabular-nums">
                  {duration(r.added.delayP95Ns.mean)}
                </span>
              </div>
            ),
          },
          {
            title: "then a month",
            right: true,
            value: (r) => r.added.billPerMonth.mean,
            show: (r) => money(r.added.billPerMonth.mean, a.currency),
          },
          {
            title: "a year",
            right: true,
            value: (r) => 12 * r.added.billPerMonth.mean,
            show: (r) => money(12 * r.added.billPerMonth.mean, a.currency),
          },
        ]}
      />
    </Section>
  );
}
