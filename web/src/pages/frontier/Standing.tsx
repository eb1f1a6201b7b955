import type { Work } from "../../api/client";
import { count, duration } from "../../words";

/** How exploring stands while it is under way: what is out, and the best so far. */
export function Standing({ now }: { now: Work }) {
  const asked = now.exploration;
  const s = asked?.standing;
  const kept = asked && asked.aims.length > 0 && `What must be kept: ${asked.aims.join("; ")}.`;
  if (!s) return kept && <p className="w-full max-w-3xl text-sm opacity-80">{kept}</p>;
  return (
    <div className="w-full max-w-3xl space-y-1 text-sm">
      {kept && <p className="opacity-80">{kept}</p>}
      <p>
        {s.phase}
        {s.variants > 0 &&
          `: ${count(s.variants)} variants in ${count(s.runs)} runs, ${count(s.out)} of them out`}
        {s.unfit > 0 && `, ${count(s.unfit)} more cannot be run`}
        {(s.struck ?? 0) > 0 && `, ${count(s.struck ?? 0)} cannot be what is looked for`}.
      </p>
      {s.elsewhere && <p id="elsewhere">{s.elsewhere}.</p>}
      {s.best && (
        <p className="opacity-80">
          Best so far ({s.verdict}): {s.best}; 95 % of jobs start within {duration(s.delayP95Ns.mean)},{" "}
          {count(s.billPerMonth.mean)} a month.
        </p>
      )}
    </div>
  );
}
