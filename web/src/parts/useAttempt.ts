import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

/** Does something that may fail: what was asked for under the key is asked for anew, and what went wrong is said. */
export function useAttempt(key: string) {
  const queries = useQueryClient();
  const [error, setError] = useState<unknown>(null);
  const attempt = async (what: () => Promise<unknown>) => {
    setError(null);
    try {
      await what();
      await queries.invalidateQueries({ queryKey: [key] });
    } catch (problem) {
      setError(problem);
    }
  };
  return { attempt, error };
}
