import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { edit, type Work } from "../../api/client";
import { Trouble } from "../../parts/Section";
import { planOf, type Weighing } from "./plan";

/** Gives the scenario a plan, as a new revision. */
export function Apply({ o, brief, current }: { o: Weighing; brief: Work; current: boolean }) {
  const queries = useQueryClient();
  const [key, setKey] = useState(o.best);
  const [error, setError] = useState<unknown>(null);
  const [done, setDone] = useState<number | null>(null);
  const plan = planOf(o, key);
  const apply = async () => {
    setError(null);
    try {
      const stored = await edit(
        "Scenario",
        o.scenario,
        brief.weighing?.revision ?? 0,
        plan.edits,
        "Someone changed the scenario in the meantime; press Weigh first.",
      );
      setDone(stored.revision);
      await queries.invalidateQueries({ queryKey: ["scenarios"] });
    } catch (problem) {
      setError(problem);
    }
  };
  if (done) {
    return (
      <p className="mt-4" role="status">
        {o.scenario} is revision {done} now, with {plan.label}.{" "}
        <Link className="link link-primary" to={`/scenarios/${o.scenario}`}>
          Simulate it
        </Link>
        ; <code>tachyphor render TEMPLATE --scenario {o.scenario}</code> gives what the cluster needs for it.
      </p>
    );
  }
  return (
    <div className="mt-4 flex flex-wrap items-center gap-3">
      <label className="flex min-w-0 max-w-full items-center gap-2 text-sm">
        plan
        <select
          id="plan"
          className="select select-sm w-auto min-w-0 max-w-full shrink"
          value={key}
          onChange={(e) => setKey(e.target.value)}
        >
          {o.plans.map((p) => (
            <option key={p.key} value={p.key}>
              {p.label}
              {p.key === o.best ? " (best)" : ""}
              {p.key === o.today ? " (today)" : ""}
            </option>
          ))}
        </select>
      </label>
      <button
        type="button"
        id="apply"
        className="btn btn-primary btn-sm"
        disabled={key === o.today || !current}
        onClick={apply}
      >
        {key === o.today ? "The scenario has it" : `Give it to ${o.scenario}`}
      </button>
      {error !== null && <Trouble error={error} />}
    </div>
  );
}
