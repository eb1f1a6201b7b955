import type { Schemas } from "../../api/client";
import { Section } from "../../parts/Section";

/** What was changed by hand, who was out of service and what came over many at once, and what became of the queue. */
export function Happened({ o }: { o: Schemas["Outcome"] }) {
  const story = o.story ?? [];
  const beside = o.beside ?? [];
  if (story.length + beside.length === 0) return null;
  return (
    <Section title="What happened" aside="the first repeat">
      <ul className="list-disc pl-5" id="happened">
        {story.map((x) => (
          <li key={`${x.atNs} ${x.says}`}>{x.says}</li>
        ))}
      </ul>
      {beside.map((x) => (
        <p key={x.what} className="mt-2">
          {x.says}
        </p>
      ))}
    </Section>
  );
}
