import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { api, take } from "../api/client";
import { session, waysIn } from "../api/queries/service";
import { Notice, Trouble } from "../parts/Section";
import { useTitle } from "../parts/useTitle";

/** Why the identity provider's answer let nobody in. */
const refusals: Record<string, string> = {
  silent: "The identity provider does not answer. Try again later, or sign in by a link.",
  late: "Signing in took longer than ten minutes, or was begun in another browser. Begin again.",
  groups: "You are in none of the groups that may sign in here. Ask an owner of this service.",
  name: "Someone else here has your name. Ask an owner of this service.",
  provider: "The identity provider's answer is not a valid sign-in. The service's log says why.",
};

/** Sign-in for someone without a session. */
export function Welcome() {
  useTitle("Sign in");
  const [token, setToken] = useState("");
  const [error, setError] = useState<unknown>(null);
  const [query] = useSearchParams();
  const ways = useQuery(waysIn);
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
        Open a sign-in link: <code className="font-mono text-sm">tachyphor token link</code> makes one on the
        machine that the service runs on, and an owner makes one for others. A token works too.
      </p>
      {ways.data?.provider && (
        <p className="mb-6">
          <a id="provider" className="btn btn-primary" href="/sign-in/provider">
            Sign in by {ways.data.provider}
          </a>
        </p>
      )}
      {query.get("refused") && <Notice>{refusals[query.get("refused") ?? ""] ?? refusals.provider}</Notice>}
      {query.get("link") === "spent" && (
        <Notice>That link was used already, or is older than 30 minutes. Make another one.</Notice>
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
