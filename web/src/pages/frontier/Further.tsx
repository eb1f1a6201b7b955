import { Change } from "../../parts/Change";
import { DataTable } from "../../parts/DataTable";
import { Section } from "../../parts/Section";
import { verdictInk } from "../../parts/verdictInk";
import { duration, money } from "../../words";
import { Knob } from "./Knob";
import type { Answer } from "./verdict";

/** What is recommended with one knob a step further, either way: its neighbours and their price. */
export function Further({ a }: { a: Answer }) {
  if (a.steps.length === 0) return null;
  return (
    <Section
      id="further"
      title="One step further"
      aside="what is recommended with one knob a step away, on the same draws"
    >
      <DataTable
        name={`steps-${a.scenario}`}
        rows={a.steps}
        rowKey={(s) => `${s.knob} ${s.is}`}
        columns={[
          { title: "knob", value: (s) => s.knob, show: (s) => <Knob name={s.knob} /> },
          { title: "from", right: true, value: (s) => s.was },
          { title: "to", right: true, value: (s) => s.is },
          {
            title: "95 % of delays",
            right: true,
            value: (s) => s.delayP95Ns.mean / 1e9,
            show: (s) => <Change of={s.delayP95Ns} say={duration} />,
          },
          {
            title: "a month",
            right: true,
            value: (s) => s.billPerMonth.mean,
            show: (s) => <Change of={s.billPerMonth} say={(x) => money(x, a.currency)} />,
          },
          {
            title: "aims",
            value: (s) => s.verdict,
            show: (s) => (
              <span className={verdictInk(s.verdict)}>
                {s.verdict}
                {s.misses && `: ${s.misses}`}
              </span>
            ),
          },
        ]}
      />
    </Section>
  );
}
