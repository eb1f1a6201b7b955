import { Bar, Key, total } from "../../parts/Bar";
import { DataTable } from "../../parts/DataTable";
import { Asked } from "../../parts/Why";
import { count, duration, percent, plusMinus, signed } from "../../words";
import { apart, carried, type Weighed, type Weighing } from "./plan";

/** The plans side by side for one group of builds: where the seconds go, and what they bring. */
export function Plans({ o, at }: { o: Weighing; at: number }) {
  const of = (p: Weighed) => p.groups[at] ?? (p.groups[0] as Weighed["groups"][0]);
  const none = o.plans[0] as Weighed;
  // A plan that takes far longer would flatten the others: its bar is cut.
  const whole = 1.6 * total(carried(of(none)));
  const pays = (p: Weighed) => of(p).pays;
  const named = (p: Weighed, figure: string) => `plan/${p.key}/${of(p).class || "all classes"}/${figure}`;
  return (
    <>
      <DataTable
        name={`${o.scenario}-plans`}
        rows={o.plans}
        rowKey={(p) => p.key}
        columns={[
          {
            title: "plan",
            wide: true,
            value: (p) => p.key,
            show: (p) => (
              <>
                {p.label}
                {p.key === o.best && <b className="text-primary"> best</b>}
                {p.key === o.today && <b> today</b>}
                {p.missing.length > 0 && (
                  <span
                    className="text-sm opacity-80"
                    title={`The cluster does not say ${p.missing.join(", ")}`}
                  >
                    {" "}
                    not judged: facts are missing
                  </span>
                )}
              </>
            ),
          },
          {
            title: "of a build",
            value: (p) => total(carried(of(p))) / 1e9,
            show: (p) => (
              <span className="grid min-w-44 grid-cols-[1fr_5.2rem] items-center gap-2">
                <Bar list={carried(of(p))} whole={whole} label={p.key} />
                <span className="text-right tabular-nums">{duration(total(carried(of(p))))}</span>
              </span>
            ),
          },
          {
            title: "lead time",
            right: true,
            value: (p) => of(p).leadNs.mean / 1e9,
            show: (p) => <Asked of={named(p, "lead")}>{duration(of(p).leadNs.mean)}</Asked>,
          },
          {
            title: "less none",
            right: true,
            value: (p) => of(p).leadDifferenceNs.mean / 1e9,
            show: (p) =>
              p === none ? "–" : <Asked of={named(p, "less")}>{apart(of(p).leadDifferenceNs)}</Asked>,
          },
          {
            title: "95 % within",
            right: true,
            value: (p) => (of(p).p95Ns?.mean ?? 0) / 1e9,
            show: (p) =>
              of(p).p95Ns ? (
                <Asked of={named(p, "p95")}>{duration(of(p).p95Ns?.mean ?? 0)}</Asked>
              ) : (
                "too few"
              ),
          },
          {
            title: "fresh",
            right: true,
            value: (p) => of(p).fresh.mean,
            show: (p) =>
              p === none ? "–" : <Asked of={named(p, "fresh")}>{percent(of(p).fresh.mean)}</Asked>,
          },
          {
            title: "saves",
            right: true,
            value: (p) => of(p).saves.mean,
            show: (p) => <Asked of={named(p, "saves")}>{count(of(p).saves.mean)}</Asked>,
          },
          {
            title: "pays after",
            right: true,
            value: (p) => (pays(p).paid > 0 ? pays(p).builds : Number.POSITIVE_INFINITY),
            show: (p) => (p === none ? "–" : <Asked of={named(p, "pays")}>{paysAfter(pays(p))}</Asked>),
          },
          {
            title: `${o.currency} a month`,
            right: true,
            value: (p) => p.costDifference.mean,
            show: (p) =>
              p === none ? (
                <Asked of={`bill/${p.key}/month`}>{count(p.costPerMonth.mean)}</Asked>
              ) : (
                <Asked of={`bill/${p.key}/more`}>
                  {`${signed(p.costDifference.mean, (x) => count(x))} ${plusMinus(p.costDifference, (x) => count(x))}`}
                </Asked>
              ),
          },
          {
            title: "a year",
            right: true,
            value: (p) => 12 * p.costDifference.mean,
            show: (p) =>
              p === none
                ? count(12 * p.costPerMonth.mean)
                : signed(12 * p.costDifference.mean, (x) => count(x)),
          },
        ]}
      />
      <Key
        times={false}
        list={[
          { key: "pull", name: "pulling what is baked", ns: 1, colour: "var(--phase-image)" },
          { key: "restore", name: "restoring", ns: 1, colour: "var(--phase-restore)" },
          { key: "cold", name: "cold work", ns: 1, colour: "var(--work-cold)" },
          { key: "save", name: "saving", ns: 1, colour: "var(--phase-save)" },
        ]}
      />
    </>
  );
}

function paysAfter(p: Weighed["groups"][0]["pays"]) {
  if (p.repeats === 0) return "not followed";
  if (p.paid === 0) return "never";
  const some = p.paid < p.repeats ? ` (${p.paid} of ${p.repeats})` : "";
  return `${count(p.builds)} ${p.builds === 1 ? "build" : "builds"}${some}`;
}
