import { useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useEffect, useState } from "react";
import { cancel, over, type Work, watch } from "../api/client";
import { percent } from "../words";
import { Trouble } from "./Section";

/** How far long work has come, with the way to stop it; once it is over what is asked under key is asked anew. */
export function Underway({
  first,
  queryKey,
  children,
}: {
  first: Work;
  queryKey: string;
  children?: (now: Work) => ReactNode;
}) {
  const queries = useQueryClient();
  const [now, setNow] = useState<Work>(first);
  const [error, setError] = useState<unknown>(null);
  useEffect(
    () =>
      watch(first.id, (w) => {
        setNow(w);
        if (over(w)) void queries.invalidateQueries({ queryKey: [queryKey] });
      }),
    [first.id, queryKey, queries],
  );
  return (
    <div className="mt-6 flex flex-wrap items-center gap-4" role="status">
      <progress className="progress w-72" value={now.progress} max={1} aria-label="progress" />
      <span>{now.state === "queued" ? "waiting for its turn" : percent(now.progress)}</span>
      <button
        type="button"
        id="cancel"
        className="btn btn-sm"
        onClick={() => cancel(first.id).catch(setError)}
      >
        Cancel
      </button>
      {error !== null && <Trouble error={error} />}
      {children?.(now)}
    </div>
  );
}
