import type { Schemas } from "../../api/client";
import { Section } from "../../parts/Section";

/** What was changed by hand, who was out of service and what came over many at once, and what became of the queue. */
export function Happened({ o }: { o: Schemas["Outcome"] }) {
  if (!o.story || o.story.length === 0) return null;
  return (
    <Section title="What happened" aside="the first repeat">
      <ul className="list-disc pl-5" id="happened">
        {o.story.map((x) => (
          <li key={`${x.atNs} ${x.says}`}>{x.says}</li>
        ))}
      </ul>
      {o.quiet && <p className="mt-2">{o.quiet.says}</p>}
    </Section>
  );
}
