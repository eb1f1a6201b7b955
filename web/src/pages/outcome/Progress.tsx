import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { cancel, over, type Work, watch } from "../../api/client";
import { Section, Trouble } from "../../parts/Section";
import { duration, percent } from "../../words";

/** How far a running simulation has come, and the way to stop it. */
export function Progress({ first }: { first: Work }) {
  const [now, setNow] = useState(first);
  const [began] = useState(() => Date.now());
  const [error, setError] = useState<unknown>(null);
  const queries = useQueryClient();
  useEffect(
    () =>
      watch(first.id, (o) => {
        setNow(o);
        if (over(o)) {
          void queries.invalidateQueries({ queryKey: ["outcomes"] });
          void queries.invalidateQueries({ queryKey: ["scenarios"] });
        }
      }),
    [first.id, queries],
  );
  const end = async () => {
    try {
      await cancel(first.id);
    } catch (problem) {
      setError(problem);
    }
  };
  const left = now.progress > 0.05 ? ((Date.now() - began) / now.progress) * (1 - now.progress) : 0;
  return (
    <Section title={now.state === "queued" ? "Waiting for its turn" : "Simulating"}>
      <progress
        className="progress progress-primary w-full max-w-xl"
        value={now.progress}
        max={1}
        aria-label="progress"
      />
      <p className="mt-2 flex items-center gap-4">
        {percent(now.progress)}
        {left > 0 && ` · about ${duration(left * 1e6)} left`}
        <button type="button" className="btn btn-sm" onClick={end}>
          Cancel
        </button>
      </p>
      {error !== null && <Trouble error={error} />}
    </Section>
  );
}
