import { Link } from "react-router";
import type { Work } from "../../api/client";
import { Legend, onlyDelay, Ribbon } from "../../parts/Ribbon";
import { Section } from "../../parts/Section";
import { verdictInk } from "../../parts/verdictInk";
import { count, duration, money } from "../../words";

/** What the newest outcome said. */
export function Last({ brief, current }: { brief: Work; current: boolean }) {
  const sum = brief.simulation?.summary;
  if (!sum) return null;
  return (
    <Section
      title="Last outcome"
      aside={
        <Link className="link" to={`/outcomes/${brief.id}`}>
          {current ? `outcome ${brief.id}` : `outcome ${brief.id}, of an earlier state of the design`}
        </Link>
      }
    >
      <p className="mb-2">
        {sum.wrong >= 0.5 && (
          <>
            <b>{count(sum.wrong)}</b> of {count(sum.jobs)} jobs go wrong for good.{" "}
          </>
        )}
        {sum.started > 0 ? (
          <>
            95 % of those that start do so within{" "}
            <b>{sum.p95DelayNs === undefined ? "– (too few)" : duration(sum.p95DelayNs)}</b>
          </>
        ) : (
          <b>None starts</b>
        )}
        , for <b>{money(sum.costPerMonth, sum.currency)}</b> a month. Mean start delay{" "}
        {duration(sum.meanDelayNs)}:
      </p>
      {sum.judged && <p className={`mb-2 ${verdictInk(sum.aims ?? "kept")}`}>{sum.judged}</p>}
      <Ribbon ns={onlyDelay(sum.ribbonNs)} whole={sum.meanDelayNs} label="mean start delay" />
      <div className="mt-2">
        <Legend ns={onlyDelay(sum.ribbonNs)} />
      </div>
    </Section>
  );
}
