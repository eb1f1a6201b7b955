import { useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { api, take } from "../api/client";
import { session } from "../api/queries";
import { Notice, Trouble } from "../parts/Section";
import { useTitle } from "../parts/useTitle";

/** Sign-in for someone without a session. */
export function Welcome() {
  useTitle("Sign in");
  const [token, setToken] = useState("");
  const [error, setError] = useState<unknown>(null);
  const [query] = useSearchParams();
  const queries = useQueryClient();
  const go = useNavigate();
  const send = async (e: FormEvent) => {
    e.preventDefault();
    try {
      const me = take(await api.POST("/api/v1/session", { body: { token } }));
      queries.setQueryData(session.queryKey, me);
      go("/");
    } catch (problem) {
      setError(problem);
    }
  };
  return (
    <main className="mx-auto max-w-lg px-4 py-16">
      <h1 className="mb-2 font-semibold text-2xl">Tachyphor</h1>
      <p className="mb-6">
        Open the link that the service wrote when it started, or make a new one with{" "}
        <code className="font-mono text-sm">tachyphor token link</code>. A token works too.
      </p>
      {query.get("link") === "spent" && (
        <Notice>That link has been used, or is older than 30 minutes. Make another one.</Notice>
      )}
      <form onSubmit={send} className="flex flex-wrap gap-2">
        <input
          type="password"
          className="input grow"
          aria-label="Token"
          placeholder="Token"
          autoComplete="off"
          value={token}
          onChange={(e) => setToken(e.target.value)}
        />
        <button type="submit" className="btn btn-primary" disabled={token.trim() === ""}>
          Sign in
        </button>
      </form>
      {error !== null && <Trouble error={error} />}
    </main>
  );
}
