import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Work } from "../../api/client";

/** Whether the result is kept for good. */
export function Keep({ o }: { o: Work }) {
  const queries = useQueryClient();
  const [error, setError] = useState("");
  const pin = async () => {
    try {
      take(
        await api.PATCH("/api/v1/work/{id}", {
          params: { path: { id: o.id } },
          body: { pinned: !o.pinned, called: o.pinned ? "" : undefined },
        }),
      );
      setError("");
      await queries.invalidateQueries({ queryKey: ["outcomes", o.id] });
    } catch (problem) {
      setError(problem instanceof Error ? problem.message : String(problem));
    }
  };
  const kept = o.pinned || o.called;
  return (
    <>
      <button
        type="button"
        id="pin"
        className="link"
        title={
          kept
            ? "Its result is kept for good. Press to let it be deleted with others of its age."
            : "Results are deleted when they are older than results are kept. Press to keep this one."
        }
        aria-pressed={Boolean(kept)}
        onClick={() => void pin()}
      >
        {kept ? `kept${o.called ? ` as ${o.called}` : ""}: unpin` : "pin"}
      </button>
      {error && <span className="text-error"> {error}</span>}
    </>
  );
}
