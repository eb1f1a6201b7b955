import type { ReactNode } from "react";
import { bound, count, duration } from "../../words";
import { claim, planOf, type Weighing } from "./plan";

/** The misleading comparison, the truth and the advice, each in one glance. */
export function Glance({ o, at }: { o: Weighing; at: number }) {
  const view = o.classes[at] ?? o.classes[0];
  if (!view) return null;
  const spoken = planOf(o, view.plan);
  const truth = view.truths.find((t) => t.key === view.plan);
  const best = planOf(o, o.best);
  const bestTruth = view.truths.find((t) => t.key === o.best);
  const longest = Math.max(view.withoutNs, view.fillingNs, view.usingNs);
  const builds = o.plans[0]?.groups[at]?.jobs.mean ?? 0;
  const wrong = Math.abs(view.usual - (truth?.saves ?? 0)) > 0.05;
  return (
    <div className="mt-5 grid grid-cols-1 gap-6 md:grid-cols-3" id="glance">
      <Part title="What two runs say" figure={claim(view.usual)} quiet>
        <ul className="mt-2 space-y-1 text-sm">
          {(
            [
              ["without a cache", view.withoutNs, "var(--work-cold)"],
              ["the run that fills it", view.fillingNs, "var(--phase-save)"],
              ["a run that uses it", view.usingNs, "var(--phase-restore)"],
            ] as const
          ).map(([name, ns, colour]) => (
            <li key={name} className="grid grid-cols-[8.5rem_1fr_5.5rem] items-center gap-2">
              <span>{name}</span>
              <span className="h-3 bg-base-200">
                <span
                  className="block h-3"
                  style={{ width: `${(100 * ns) / longest}%`, background: colour }}
                />
              </span>
              <span className="text-right tabular-nums">{duration(ns)}</span>
            </li>
          ))}
        </ul>
        <p className="mt-2 text-sm">
          The run that uses it, held against the run that filled it: the usual test
          {wrong ? ", and the wrong one" : ""}.
        </p>
      </Part>
      <Part title="What is true" figure={claim(truth?.saves ?? 0)} bad={(truth?.saves ?? 0) < 0}>
        <p className="mt-2 text-sm">
          of a build, over {count(builds)} builds against <b>no cache</b>, with {spoken.label}
          {o.today === spoken.key ? ", as the scenario has it today" : ""}: every save and every miss counted.
        </p>
      </Part>
      <Part
        title="What to do"
        figure={best.key === "none" ? "no cache" : claim(bestTruth?.saves ?? 0)}
        good={best.key !== "none"}
      >
        <p className="mt-2 text-sm">
          <b>{best.label}</b>
          {best.key !== "none" && (
            <>
              : the mean job ends {duration(Math.abs(best.groups[at]?.leadDifferenceNs.mean ?? 0))}{" "}
              {(best.groups[at]?.leadDifferenceNs.mean ?? 0) < 0 ? "sooner" : "later"}
            </>
          )}
          .
        </p>
        {o.words.slice(1).some((w) => w.startsWith("As good")) && (
          <p className="mt-1 text-sm opacity-80">
            {bound(o.words.find((w) => w.startsWith("As good")) ?? "")}
          </p>
        )}
      </Part>
    </div>
  );
}

function Part({
  title,
  figure,
  children,
  quiet = false,
  bad = false,
  good = false,
}: {
  title: string;
  figure: string;
  children: ReactNode;
  quiet?: boolean;
  bad?: boolean;
  good?: boolean;
}) {
  const colour = bad ? "text-error" : good ? "text-primary" : quiet ? "opacity-70" : "";
  return (
    <div className="border-base-300 border-t-2 pt-2">
      <h2 className="text-sm">{title}</h2>
      <p className={`font-semibold text-2xl ${colour}`}>{bound(figure)}</p>
      {children}
    </div>
  );
}
