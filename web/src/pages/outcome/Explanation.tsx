import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import type { Schemas } from "../../api/client";
import { explanation } from "../../api/queries/outcomes";
import { Legend, Ribbon } from "../../parts/Ribbon";
import { Trouble, Waiting } from "../../parts/Section";
import { duration, moment, phases } from "../../words";

/** One job's time, cause by cause. */
export function Explanation({
  id,
  job,
  zone,
  close,
}: {
  id: number;
  job: string;
  zone: string;
  close: () => void;
}) {
  const found = useQuery(explanation(id, job));
  const box = useRef<HTMLElement>(null);
  const there = Boolean(found.data ?? found.error);
  useEffect(() => {
    if (there && job) box.current?.scrollIntoView({ block: "center" });
  }, [there, job]);
  return (
    <article ref={box} id="explanation" className="mb-5 border-base-300 border-y py-3">
      <div className="flex items-baseline justify-between gap-4">
        <h3 className="font-semibold">{job}</h3>
        <button type="button" className="btn btn-ghost btn-xs" onClick={close}>
          Close
        </button>
      </div>
      {found.error ? (
        <Trouble error={found.error} />
      ) : !found.data ? (
        <Waiting what="the explanation" />
      ) : (
        <Body e={found.data} zone={zone} />
      )}
    </article>
  );
}

function Body({ e, zone }: { e: Schemas["Explanation"]; zone: string }) {
  const ns = phases.map((p) =>
    e.stays.filter((s) => s.phase === p).reduce((sum, s) => sum + s.toNs - s.fromNs, 0),
  );
  const whole = ns.reduce((a, b) => a + b, 0);
  return (
    <>
      <p className="mb-2">
        {e.summary} {e.workspace} Submitted {moment(e.submitted, zone)}
        {e.node && `, ran on ${e.node}`}.
      </p>
      <Ribbon ns={ns} whole={whole} label={`time of ${e.id}`} tall />
      <div className="my-2">
        <Legend ns={ns} />
      </div>
      <ol className="text-sm">
        {e.stays.map((s) => (
          <li
            key={s.fromNs}
            className="grid grid-cols-[5.5rem_5.5rem_1fr] gap-x-3 border-base-300 border-t py-1 sm:grid-cols-[6rem_6rem_5rem_1fr]"
          >
            <span className="text-right tabular-nums opacity-80">at {duration(s.fromNs)}</span>
            <span className="text-right tabular-nums">{duration(s.toNs - s.fromNs)}</span>
            <span className="hidden sm:inline">{s.phase}</span>
            <span>{s.text}</span>
          </li>
        ))}
      </ol>
    </>
  );
}
