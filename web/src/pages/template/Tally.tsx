import type { Schemas } from "../../api/client";

type Finding = Schemas["Finding"];

const severities = ["will-not-work", "risky", "wasteful", "advice"] as const;

export const severityWords = (s: Finding["severity"]) => s.replaceAll("-", " ");

const look: Record<Finding["severity"], string> = {
  "will-not-work": "text-error font-semibold",
  risky: "text-warning font-medium",
  wasteful: "text-warning",
  advice: "opacity-80",
};

export const severityLook = (s: Finding["severity"]) => look[s];

/** How many findings there are of each severity. */
export function Tally({ findings }: { findings: Finding[] }) {
  if (findings.length === 0) return <span className="text-success">nothing to say</span>;
  return (
    <span className="whitespace-nowrap">
      {severities
        .map((s) => ({ s, n: findings.filter((f) => f.severity === s).length }))
        .filter((x) => x.n > 0)
        .map((x, i) => (
          <span key={x.s} className={look[x.s]}>
            {i > 0 && <span className="font-normal text-base-content"> · </span>}
            {x.n} {severityWords(x.s)}
          </span>
        ))}
    </span>
  );
}
