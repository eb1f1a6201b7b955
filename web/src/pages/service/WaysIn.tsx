import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, type Schemas, take } from "../../api/client";
import { sessions, tokens } from "../../api/queries/service";
import { DataTable } from "../../parts/DataTable";
import { Notice, Section, Trouble, Waiting } from "../../parts/Section";
import { useAttempt } from "../../parts/useAttempt";
import { here } from "../../words";
import { roles } from "./People";

type Token = Schemas["Token"];
type SignedIn = Schemas["SignedIn"];

const used = (t: { used?: string; from?: string }) =>
  t.used ? `${here(t.used)}${t.from ? ` from ${t.from}` : ""}` : "never";

/** Tokens and sessions: one's own, or, for owners, all. */
export function WaysIn({ me }: { me: Schemas["Session"] }) {
  const made = useQuery(tokens);
  const open = useQuery(sessions);
  const [name, setName] = useState("");
  const [role, setRole] = useState<Token["role"]>(me.role === "viewer" ? "viewer" : "events");
  const [days, setDays] = useState(90);
  const [secret, setSecret] = useState<{ name: string; secret: string } | null>(null);
  const { attempt, error } = useAttempt("service");
  const make = (e: FormEvent) => {
    e.preventDefault();
    void attempt(async () => {
      const t = take(await api.POST("/api/v1/tokens", { body: { name: name.trim(), role, days } }));
      setSecret({ name: t.name, secret: t.secret });
      setName("");
    });
  };
  const may = roles.slice(0, roles.findIndex((r) => r.role === me.role) + 1).map((r) => r.role);
  const all = me.role === "owner";
  return (
    <>
      <Section
        id="tokens"
        title="Tokens"
        aside={all ? "For programs; a token can do no more than its maker." : "Your own, for programs."}
      >
        <form onSubmit={make} className="flex flex-wrap items-end gap-2">
          <label className="max-w-full text-sm">
            what it is for
            <input
              id="token-name"
              className="input input-sm block w-56"
              maxLength={63}
              value={name}
              onChange={(e) => setName(e.target.value)}
            />
          </label>
          <label className="max-w-full text-sm">
            role
            <select
              id="token-role"
              className="select select-sm flex w-auto max-w-full"
              value={role}
              onChange={(e) => setRole(e.target.value as Token["role"])}
            >
              {me.role !== "viewer" && <option value="events">events: reports jobs, and nothing else</option>}
              {may.map((r) => (
                <option key={r}>{r}</option>
              ))}
            </select>
          </label>
          <label className="max-w-full text-sm">
            ends after, days (0: never)
            <input
              id="token-days"
              type="number"
              min={0}
              max={3650}
              className="input input-sm block w-28"
              value={days}
              onChange={(e) => setDays(Number(e.target.value))}
            />
          </label>
          <button id="make-token" type="submit" className="btn btn-sm" disabled={name.trim() === ""}>
            Make a token
          </button>
        </form>
        {secret && (
          <Notice>
            <p id="made">The token {secret.name}. It is shown this once; the service keeps a hash of it.</p>
            <p className="mt-1 break-all font-mono text-sm">{secret.secret}</p>
          </Notice>
        )}
        {error !== null && <Trouble error={error} />}
        {made.error && <Trouble error={made.error} />}
        {!made.data && !made.error && <Waiting what="tokens" />}
        {made.data && made.data.items.length === 0 && (
          <p className="py-2 text-sm opacity-80">There are none.</p>
        )}
        {made.data && made.data.items.length > 0 && (
          <DataTable<Token>
            name="tokens"
            rows={made.data.items}
            rowKey={(t) => t.id}
            columns={[
              { title: "name", value: (t) => t.name },
              { title: "of", value: (t) => t.person },
              { title: "role", value: (t) => t.role },
              { title: "made", value: (t) => t.at, show: (t) => here(t.at) },
              { title: "last used", value: (t) => t.used ?? "", show: used },
              {
                title: "ends",
                value: (t) => t.expires ?? "",
                show: (t) => (t.expires ? here(t.expires) : "never"),
              },
              {
                title: "",
                value: () => "",
                show: (t) => (
                  <button
                    type="button"
                    className="link text-sm"
                    aria-label={`end the token ${t.name}`}
                    onClick={() =>
                      confirm(
                        t.here
                          ? "End the state folder's own token? The command line there is shut out until the service starts again."
                          : `End the token ${t.name}?`,
                      ) &&
                      void attempt(async () =>
                        take(await api.DELETE("/api/v1/tokens/{id}", { params: { path: { id: t.id } } })),
                      )
                    }
                  >
                    End
                  </button>
                ),
              },
            ]}
          />
        )}
      </Section>
      <Section id="sessions" title="Sessions" aside={all ? "Who is signed in." : "Where you are signed in."}>
        {open.error && <Trouble error={open.error} />}
        {!open.data && !open.error && <Waiting what="sessions" />}
        {open.data && (
          <DataTable<SignedIn>
            name="sessions"
            rows={open.data.items}
            rowKey={(t) => t.id}
            chosen={(t) => t.mine}
            columns={[
              {
                title: "of",
                value: (t) => t.person,
                show: (t) => (t.mine ? `${t.person} (this one)` : t.person),
              },
              { title: "role", value: (t) => t.role },
              { title: "signed in", value: (t) => t.at, show: (t) => here(t.at) },
              { title: "last used", value: (t) => t.used ?? "", show: used },
              { title: "ends", value: (t) => t.expires, show: (t) => here(t.expires) },
              {
                title: "",
                value: () => "",
                show: (t) =>
                  !t.mine && (
                    <button
                      type="button"
                      className="link text-sm"
                      aria-label={`end the session of ${t.person}`}
                      onClick={() =>
                        void attempt(async () =>
                          take(await api.DELETE("/api/v1/sessions/{id}", { params: { path: { id: t.id } } })),
                        )
                      }
                    >
                      End
                    </button>
                  ),
              },
            ]}
          />
        )}
      </Section>
    </>
  );
}
