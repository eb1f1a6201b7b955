import { useQuery } from "@tanstack/react-query";
import { weighing, weighings } from "../api/queries/works";
import { Notice, Trouble, Waiting } from "../parts/Section";
import { Underway } from "../parts/Underway";
import { useAddress } from "../parts/useAddress";
import { useScenario } from "../parts/useScenario";
import { Why } from "../parts/Why";
import { Answer } from "./caching/Answer";
import { Ask } from "./caching/Ask";

/** Cache plans held against no cache, over all the builds of a scenario. */
export function Caching() {
  const { query, change } = useAddress();
  const { scenario, all, list, error, none } = useScenario("/caching", "Caching", weighings);
  if (error) return <Trouble error={error} />;
  if (none) {
    return (
      <Notice>
        There is no scenario yet whose caches could be weighed. Store one first:{" "}
        <code>tachyphor put my-design/</code>, or start with <code>tachyphor demo</code>.
      </Notice>
    );
  }
  if (!scenario || !all || !list) return <Waiting what="scenarios" />;
  const chosen = Number(query.get("id"));
  const found = list.find((w) => w.id === chosen) ?? list[0];
  const id = chosen || found?.id || 0;
  const revision = all.find((s) => s.name === scenario)?.revision;
  return (
    <>
      <div className="mt-8 flex flex-wrap items-baseline justify-between gap-x-4">
        <h1 className="font-semibold text-2xl">Caching</h1>
        <p className="text-sm opacity-80">
          every cache plan, over all builds of the scenario, against no cache
        </p>
      </div>
      <Ask
        key={scenario}
        scenario={scenario}
        scenarios={all.map((s) => s.name)}
        last={found}
        asked={(w) => change({ id: w.id })}
      />
      {id > 0 ? (
        <Kept id={id} revision={revision} />
      ) : (
        <Notice>
          Nothing has been weighed for {scenario} yet. Press <b>Weigh</b>; it takes a few seconds. The same by
          the command line: <code>tachyphor weigh {scenario}</code>
        </Notice>
      )}
    </>
  );
}

/** One weighing: how far it has come, or its answer. */
function Kept({ id, revision }: { id: number; revision?: number }) {
  const found = useQuery(weighing(id));
  if (found.error) return <Trouble error={found.error} />;
  if (!found.data) return <Waiting what={`weighing ${id}`} />;
  const w = found.data;
  if (w.state === "failed") return <Trouble error={new Error(`The weighing failed: ${w.error}`)} />;
  if (w.state === "cancelled")
    return <Notice>The weighing was cancelled. Press Weigh to begin again.</Notice>;
  if (!w.result) return <Underway key={id} first={w} queryKey="weighings" />;
  return (
    <>
      {revision !== undefined && revision !== w.weighing?.revision && (
        <Notice>
          The scenario is at revision {revision} now; this is of revision {w.weighing?.revision}. Press Weigh
          for the newest.
        </Notice>
      )}
      <Why work={{ kind: "weighings", id }} />
      <Answer brief={w} o={w.result} current={revision === w.weighing?.revision} />
    </>
  );
}
