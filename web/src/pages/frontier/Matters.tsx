import { DataTable } from "../../parts/DataTable";
import { Section } from "../../parts/Section";
import { percent } from "../../words";
import { Knob } from "./Knob";
import type { Answer } from "./verdict";

const little = 0.01; // of the spread, below which a knob does not matter

/** A share as a bar with its number. */
function Share({ of }: { of: number }) {
  return (
    <div className="flex items-center gap-2">
      <div className="h-3 grow bg-base-200">
        <div className="h-full bg-secondary" style={{ width: `${Math.min(100, 100 * of)}%` }} />
      </div>
      <span className="w-12 shrink-0 text-right tabular-nums">{percent(of)}</span>
    </div>
  );
}

/** Which knobs account for the spread of delays and bills, and what was varied. */
export function Matters({ a }: { a: Answer }) {
  const name = (m: Answer["matters"][number]) => (m.with ? `${m.knob} with ${m.with}` : m.knob);
  const rows = a.matters.filter((m) => Math.max(m.delay, m.bill) >= little);
  const idle = a.matters.filter((m) => Math.max(m.delay, m.bill) < little).map(name);
  return (
    <>
      {rows.length > 0 && (
        <Section id="matters" title="What matters" aside="share of the spread over all variants">
          <DataTable
            name={`matters-${a.scenario}`}
            rows={rows}
            rowKey={name}
            columns={[
              { title: "knob", value: name, show: (m) => <Knob name={name(m)} /> },
              { title: "of delays", wide: true, value: (m) => m.delay, show: (m) => <Share of={m.delay} /> },
              { title: "of the bill", wide: true, value: (m) => m.bill, show: (m) => <Share of={m.bill} /> },
            ]}
          />
          {idle.length > 0 && (
            <p className="mt-2 text-sm opacity-80">Hardly anything hangs on {idle.join(", ")}.</p>
          )}
        </Section>
      )}
      <details className="mt-6">
        <summary className="cursor-pointer font-semibold">
          What was varied: {a.knobs.length} {a.knobs.length === 1 ? "knob" : "knobs"}
        </summary>
        <div className="mt-2">
          <DataTable
            name={`knobs-${a.scenario}`}
            rows={a.knobs}
            rowKey={(k) => k.knob}
            columns={[
              { title: "knob", value: (k) => k.knob, show: (k) => <Knob name={k.knob} /> },
              { title: "is", value: (k) => k.was },
              { title: "may be", value: (k) => k.values.join(", ") },
              {
                title: "place",
                value: (k) => k.at.join(", "),
                show: (k) => <code className="break-all text-xs">{k.at.join(", ")}</code>,
              },
            ]}
          />
        </div>
      </details>
    </>
  );
}
