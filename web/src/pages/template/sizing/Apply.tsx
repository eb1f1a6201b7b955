import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, edit, type Schemas, take, watch } from "../../../api/client";
import { Diff } from "../../../parts/Diff";
import { Trouble } from "../../../parts/Section";
import { percent } from "../../../words";

type Advice = Schemas["Advice"];

/** Trying the advice in a scenario, and making it a revision. */
export function Apply({ of, text, uses }: { of: Advice; text: string; uses: string[] }) {
  const queries = useQueryClient();
  const [diff, setDiff] = useState<string | null>(null);
  const [error, setError] = useState<unknown>(null);
  const [done, setDone] = useState<number | null>(null);
  const look = async () => {
    setError(null);
    try {
      const m = take(await api.POST("/api/v1/mend", { body: { text, edits: of.edits } }));
      setDiff(m.diff);
    } catch (problem) {
      setError(problem);
    }
  };
  const apply = async () => {
    setError(null);
    try {
      const stored = await edit(
        "PodTemplate",
        of.template,
        of.revision,
        of.edits,
        "Someone changed the template in the meantime; load the page again.",
      );
      setDiff(null);
      setDone(stored.revision);
      await queries.invalidateQueries({ queryKey: ["templates"] });
      await queries.invalidateQueries({ queryKey: ["revisions"] });
    } catch (problem) {
      setError(problem);
    }
  };
  const nothing = of.edits.length === 0;
  return (
    <div className="mt-3">
      {nothing && (
        <p>
          {done ? `Stored as revision ${done}. ` : ""}Today's requests are these; there is nothing to change.
        </p>
      )}
      <div className="flex flex-wrap items-center gap-3">
        {!nothing && (
          <button type="button" id="look" className="btn btn-primary btn-sm" onClick={look}>
            Show the change
          </button>
        )}
        <Try of={of} uses={uses} />
      </div>
      {error !== null && <Trouble error={error} />}
      {diff !== null && (
        <div className="mt-3">
          <Diff text={diff} />
          <button type="button" id="apply" className="btn btn-primary btn-sm mt-2" onClick={apply}>
            Make it revision {of.revision + 1}
          </button>
        </div>
      )}
    </div>
  );
}

/** Simulates a scenario with today's requests and with these. */
function Try({ of, uses }: { of: Advice; uses: string[] }) {
  const [chosen, setScenario] = useState("");
  const [progress, setProgress] = useState<number | null>(null);
  const [ids, setIds] = useState<number[]>([]);
  const [error, setError] = useState<unknown>(null);
  if (uses.length === 0) return <span className="text-sm opacity-80">No scenario uses it yet.</span>;
  const scenario = chosen || uses[0] || "";
  const end = (id: number, tell: (done: number) => void) =>
    new Promise<void>((resolve, reject) => {
      watch(id, (o) => {
        tell(o.progress);
        if (o.state === "done") resolve();
        else if (o.state === "failed" || o.state === "cancelled")
          reject(new Error(o.error ?? `outcome ${id} was ${o.state}`));
      });
    });
  const begin = async () => {
    setError(null);
    setIds([]);
    setProgress(0);
    try {
      const changes = [{ kind: "PodTemplate", name: of.template, edits: of.edits }];
      const today = take(await api.POST("/api/v1/outcomes", { body: { scenario } }));
      const better = take(await api.POST("/api/v1/outcomes", { body: { scenario, changes } }));
      await end(today.id, (x) => setProgress(x / 2));
      await end(better.id, (x) => setProgress(0.5 + x / 2));
      setIds([today.id, better.id]);
    } catch (problem) {
      setError(problem);
    }
    setProgress(null);
  };
  const tried = ids.length === 2 && (
    <Link id="tried" className="link link-primary" to={`/compare?ids=${ids.join(",")}`}>
      today and better beside each other
    </Link>
  );
  if (of.edits.length === 0) return tried; // nothing more to try
  return (
    <>
      <label className="flex items-center gap-2 text-sm">
        scenario
        <select
          className="select select-sm w-auto"
          value={scenario}
          onChange={(e) => setScenario(e.target.value)}
        >
          {uses.map((u) => (
            <option key={u}>{u}</option>
          ))}
        </select>
      </label>
      <button type="button" id="try" className="btn btn-sm" disabled={progress !== null} onClick={begin}>
        {progress === null ? "Simulate both requests" : `Simulating, ${percent(progress)}`}
      </button>
      {tried}
      {error !== null && <Trouble error={error} />}
    </>
  );
}
