import type { Schemas } from "../../api/client";
import { percent } from "../../words";

const days = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];
const hours = Array.from({ length: 24 }, (_, h) => h);
const short = (n: number) => (n >= 100 ? n.toFixed(0) : n >= 10 ? n.toFixed(1) : n.toFixed(2));

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

function Heat({ title, of, most }: { title: string; of: number[]; most: number }) {
  const shade = (n: number) => Math.sqrt(n / most); // so that nights can be seen beside days
  return (
    <figure>
      <figcaption className="mb-1 flex justify-between text-sm">
        {title} <span className="opacity-80">at most {short(Math.max(...of, 0))} an hour</span>
      </figcaption>
      <svg
        viewBox="0 0 520 150"
        className="w-full"
        role="img"
        aria-label={`jobs an hour by hour of the week, ${title}`}
      >
        {days.map((d, i) => (
          <text key={d} x="0" y={i * 18 + 13} className="fill-base-content text-[11px]">
            {d}
          </text>
        ))}
        {days.flatMap((d, i) =>
          hours.map((h) => {
            const n = of[i * 24 + h] ?? 0;
            return (
              <rect
                key={`${d}${h}`}
                x={34 + h * 20}
                y={i * 18}
                width="19"
                height="17"
                className="fill-primary stroke-base-300"
                fillOpacity={n > 0 ? 0.08 + 0.92 * shade(n) : 0}
                strokeWidth="0.5"
              >
                <title>{`${d} ${String(h).padStart(2, "0")}:00, ${short(n)} jobs an hour`}</title>
              </rect>
            );
          }),
        )}
        {[0, 6, 12, 18].map((h) => (
          <text key={h} x={34 + h * 20} y="140" className="fill-base-content text-[11px]">
            {String(h).padStart(2, "0")}:00
          </text>
        ))}
      </svg>
    </figure>
  );
}
