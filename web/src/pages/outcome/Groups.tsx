import type { Schemas } from "../../api/client";
import { DataTable } from "../../parts/DataTable";
import { byPhase, onlyDelay, Ribbon } from "../../parts/Ribbon";
import { SaveBars } from "../../parts/SaveBars";
import { Section } from "../../parts/Section";
import { scaleOf } from "../../parts/scale";
import type { Other } from "../../parts/TimeLines";
import { Asked } from "../../parts/Why";
import { count, duration, percent, plusMinus } from "../../words";

type Result = Schemas["Outcome"];
type Group = Schemas["Group"];

/** Jobs by class and template, with their ribbon. */
export function Groups({ o, other }: { o: Result; other?: Other }) {
  const theirs = (g: Group) => other?.o.groups.find((x) => x.by === g.by && x.name === g.name);
  const rows = o.groups.filter((g) => g.jobs.mean > 0);
  const scale = scaleOf(
    [o, ...(other ? [other.o] : [])].flatMap((x) =>
      x.groups.filter((g) => g.by === "class").map((g) => g.delay.meanNs.mean),
    ),
  );
  const of = (g: Group, figure: string) => `group/${g.by}/${g.name}/${figure}`;
  const percentile = (figure: string, pick: (g: Group) => Schemas["Figure"] | undefined) => ({
    right: true,
    value: (g: Group) => pick(g)?.mean ?? 0,
    show: (g: Group) => {
      if (g.delay.maxNs.mean === 0) return "–";
      const f = pick(g);
      return f ? <WithReach f={f} of={of(g, figure)} /> : <span title="too few jobs to say">too few</span>;
    },
  });
  return (
    <Section
      title="Start delay by class and template"
      aside={`ribbons on one scale${scale.cut ? `, full width is ${duration(scale.whole)}; longer ones are drawn cut` : ""}${other ? `; below each: ${other.name}` : ""}`}
    >
      <DataTable<Group>
        name={`${o.scenario}-delays`}
        rows={rows}
        rowKey={(g) => `${g.by}/${g.name}`}
        columns={[
          {
            title: "jobs of",
            value: (g) => g.name,
            show: (g) => (
              <span className={`whitespace-nowrap ${g.by === "template" ? "pl-3 opacity-85" : ""}`}>
                {g.by === "template" ? `template ${g.name}` : g.name}
              </span>
            ),
          },
          {
            title: "mean, by phase",
            wide: true,
            value: (g) => g.delay.meanNs.mean,
            show: (g) =>
              g.delay.maxNs.mean > 0 ? (
                <div className="space-y-0.5">
                  <Ribbon
                    ns={onlyDelay(g.ribbonNs.map((f) => f.mean))}
                    whole={Math.max(1, scale.whole)}
                    label={`start delay of ${g.name}`}
                  />
                  {theirs(g) && (
                    <div className="opacity-70">
                      <Ribbon
                        ns={onlyDelay(theirs(g)?.ribbonNs.map((f) => f.mean) ?? [])}
                        whole={Math.max(1, scale.whole)}
                        label={`start delay of ${g.name} in ${other?.name}`}
                      />
                    </div>
                  )}
                </div>
              ) : (
                <span className="text-warning">never start</span>
              ),
          },
          {
            title: "mean",
            right: true,
            value: (g) => g.delay.meanNs.mean,
            show: (g) =>
              g.delay.maxNs.mean === 0 ? "–" : <WithReach f={g.delay.meanNs} of={of(g, "mean")} />,
          },
          { title: "half within", ...percentile("p50", (g) => g.delay.p50Ns) },
          { title: "95 % within", ...percentile("p95", (g) => g.delay.p95Ns) },
          { title: "99 % within", ...percentile("p99", (g) => g.delay.p99Ns) },
          {
            title: "longest",
            right: true,
            value: (g) => g.delay.maxNs.mean,
            show: (g) =>
              g.delay.maxNs.mean > 0 ? <Asked of={of(g, "max")}>{duration(g.delay.maxNs.mean)}</Asked> : "–",
          },
          {
            title: "jobs",
            right: true,
            value: (g) => g.jobs.mean,
            show: (g) => <Asked of={of(g, "jobs")}>{count(g.jobs.mean)}</Asked>,
          },
          {
            title: "warm",
            right: true,
            value: (g) => g.warm.mean,
            show: (g) => <Asked of={of(g, "warm")}>{percent(g.warm.mean)}</Asked>,
          },
        ]}
      />
      <SaveBars
        title={`${o.scenario}: mean start delay by class and template`}
        rows={rows
          .filter((g) => g.delay.maxNs.mean > 0)
          .map((g) => ({
            label: g.by === "template" ? `template ${g.name}` : g.name,
            list: byPhase(onlyDelay(g.ribbonNs.map((f) => f.mean))),
          }))}
        whole={Math.max(1, scale.whole)}
      />
    </Section>
  );
}

/** A time with how sure it is below it. */
function WithReach({ f, of }: { f: Schemas["Figure"]; of: string }) {
  return (
    <>
      <div className="whitespace-nowrap">
        <Asked of={of}>{duration(f.mean)}</Asked>
      </div>
      <div className="hidden whitespace-nowrap text-xs opacity-75 sm:block">{plusMinus(f, duration)}</div>
    </>
  );
}
