import type { Schemas } from "../../api/client";
import { Heat } from "../../parts/Heat";
import { percent } from "../../words";

/** Jobs an hour by hour of the week: the log's, and what a made workload would have. */
export function Week({ of }: { of: Schemas["LearnedJobs"] }) {
  const most = Math.max(...of.hours, ...of.made, 1e-9);
  const l = of.likes;
  return (
    <>
      <div className="grid gap-6 lg:grid-cols-2">
        <Heat title="in the log" of={of.hours} most={most} />
        <Heat title="made by the classes" of={of.made} most={most} />
      </div>
      {l && (
        <p className="mt-2 max-w-3xl text-sm">
          Jobs come as recorded. Made ones instead differ by at most {percent(l.arrivals, 1)} of all in when
          they come; between two draws of one there would be as much with a chance of{" "}
          {l.arrivalsChance.toPrecision(2)}.
          {l.unsteady > 1.5 &&
            ` The log's hours vary ${l.unsteady.toFixed(1)} times as much as made ones do.`}
        </p>
      )}
    </>
  );
}
