import { Section } from "../../parts/Section";
import { count } from "../../words";
import type { Answer } from "./verdict";

/** What jobs still wait for under what is recommended. */
export function Binds({ a }: { a: Answer }) {
  if (a.best < 0) return null;
  return (
    <Section id="binds" title="What binds then" aside="ceilings, quotas and full pools, in the first repeat">
      {a.binds.length === 0 ? (
        <p>Nothing: no job waits at a limit.</p>
      ) : (
        <ul className="list-inside list-disc">
          {a.binds.map((l) => (
            <li key={l.label}>
              {l.label}: {count(l.jobs)} jobs wait {l.jobHours.toFixed(1)} h there
            </li>
          ))}
        </ul>
      )}
    </Section>
  );
}
