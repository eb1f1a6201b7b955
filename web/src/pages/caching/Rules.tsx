import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { weighings } from "../../api/queries/works";
import { Section } from "../../parts/Section";

type Rule = Schemas["CacheRule"];

/** What a scenario keeps of workspaces, and what weighing its plans has come to. */
export function Rules({ scenario, revision, rules }: { scenario: string; revision: number; rules: Rule[] }) {
  const found = useQuery(weighings(scenario));
  const last = found.data?.items.find((w) => w.state === "done");
  return (
    <Section
      title="Workspace cache"
      aside={
        <Link className="link" to={`/caching/${scenario}`}>
          {last ? "every plan against no cache" : "weigh every plan against no cache"}
        </Link>
      }
    >
      {rules.length === 0 && <p>None: every build does its cold work.</p>}
      <ul className="space-y-1">
        {rules.map((r) => (
          <li key={JSON.stringify(r)} className={r.classes?.length ? "" : "first-letter:uppercase"}>
            {r.classes?.length ? <b>{r.classes.join(", ")}: </b> : null}
            {ruleWords(r)}
          </li>
        ))}
      </ul>
      {last?.weighing?.headline && (
        <p className="mt-2 max-w-3xl text-sm">
          {last.weighing.revision === revision ? "Weighed" : `Weighed as revision ${last.weighing.revision}`}:{" "}
          {last.weighing.headline}
        </p>
      )}
    </Section>
  );
}

/** ruleWords says what a rule does with workspaces. */
function ruleWords(r: Rule): string {
  const of = r.scope === "class" ? "class" : "project";
  const until = r.expires && r.expires !== "0s" ? `, used until it is ${r.expires} old` : "";
  switch (r.plan) {
    case "archive": {
      const when =
        r.save === "every-success"
          ? "after every success"
          : r.save === "every"
            ? `when the kept one is ${r.every} old`
            : "when its dependencies have changed";
      const by = r.savedBy === "all" ? "by all builds" : "by builds of the trunk alone";
      return `an archive in the store for each ${of}, saved ${when}, ${by}${until}`;
    }
    case "volume":
      return `${(r.copies ?? 1) > 1 ? `${r.copies} volumes` : "a volume"}${r.size ? ` of ${r.size}` : ""} for each ${of}`;
    case "node-disk":
      return `left on the node's disk, for the next build of the ${of} there${until}`;
    case "baked":
      return `baked into the image, which is made anew every ${r.every || "day"}`;
    default:
      return "none";
  }
}
