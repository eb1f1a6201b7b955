import type { Work } from "../../api/client";
import { BriefLink } from "../../parts/BriefLink";
import { Section } from "../../parts/Section";
import { useAddress } from "../../parts/useAddress";
import { bound, count, duration } from "../../words";
import { Apply } from "./Apply";
import { Breaks } from "./Breaks";
import { Glance } from "./Glance";
import { Money } from "./Money";
import { PaysOff } from "./PaysOff";
import { Peak } from "./Peak";
import { Plans } from "./Plans";
import type { Weighing } from "./plan";
import { Runs } from "./Runs";

/** The answer of a weighing, from the glance to the last figure. */
export function Answer({ brief, o, current }: { brief: Work; o: Weighing; current: boolean }) {
  const { query, instead } = useAddress();
  const groups = o.plans[0]?.groups ?? [];
  const at = Math.max(
    groups.findIndex((g) => g.class === (query.get("class") ?? "")),
    0,
  );
  return (
    <>
      <p className="mt-6 max-w-4xl font-medium text-lg" id="headline">
        {bound(o.words[0] ?? "")}
      </p>
      <p className="mt-2 text-sm">
        <BriefLink ids={[brief.id]} />
      </p>
      <Glance o={o} at={at} />
      <Apply o={o} brief={brief} current={current} />
      <Section
        title="The plans beside each other"
        aside={
          <label className="flex items-center gap-2">
            builds of
            <select
              id="class"
              className="select select-sm w-auto"
              value={groups[at]?.class ?? ""}
              onChange={(e) => instead({ class: e.target.value })}
            >
              {groups.map((g) => (
                <option key={g.class} value={g.class}>
                  {g.class || "all classes"} ({count(g.jobs.mean)})
                </option>
              ))}
            </select>
          </label>
        }
      >
        <Plans o={o} at={at} />
      </Section>
      <Section
        title="When it has paid"
        aside="a build on average so far, against no cache; below 0 it has paid"
      >
        <PaysOff o={o} at={at} />
      </Section>
      <Section title="The three runs everyone looks at, by class">
        <Runs o={o} />
      </Section>
      {o.surface && (
        <Section title={`Where the break-even lies, for ${o.surface.class}`} aside="its builds by themselves">
          <Breaks s={o.surface} />
        </Section>
      )}
      <Section title="In the busiest hour" aside={`${count(o.peak.jobs)} builds, all at once`}>
        <Peak o={o} />
      </Section>
      <Section title="What it costs, by cause">
        <Money o={o} />
      </Section>
      <Section title="The case in five lines">
        <ol className="max-w-4xl space-y-1" id="case">
          {o.case.map((line) => (
            <li key={line}>{bound(line)}</li>
          ))}
        </ol>
      </Section>
      {o.assumed.length > 0 && (
        <Section title="What was assumed">
          <ul className="max-w-4xl list-disc space-y-1 pl-5" id="assumed">
            {o.assumed.map((line) => (
              <li key={line}>{bound(line)}</li>
            ))}
          </ul>
        </Section>
      )}
      <p className="mt-4 text-sm opacity-80">
        {count(o.repeats)} repeats of each plan, {duration(o.spanNs - o.warmupNs)} each, seed {o.seed},
        weighed in {brief.seconds?.toFixed(1)} s. The same on the command line:{" "}
        <code>
          tachyphor weigh {o.scenario}
          {brief.weighing?.ask.perHour ? ` --hour ${brief.weighing.ask.perHour}` : ""} --brief case.md
        </code>
      </p>
    </>
  );
}
