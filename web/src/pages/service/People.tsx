import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, type Schemas, take } from "../../api/client";
import { people } from "../../api/queries/service";
import { DataTable } from "../../parts/DataTable";
import { Notice, Section, Trouble, Waiting } from "../../parts/Section";
import { useAttempt } from "../../parts/useAttempt";
import { here } from "../../words";

type Person = Schemas["Person"];
type Role = Schemas["Session"]["role"];

export const roles: { role: Role; may: string }[] = [
  { role: "viewer", may: "reads everything but secrets and tokens" },
  { role: "designer", may: "also changes documents and asks for work" },
  { role: "operator", may: "also touches live clusters" },
  { role: "owner", may: "also manages people, tokens of others and backups" },
];

/** Who may sign in, and what they may do. */
export function People({ me }: { me: string }) {
  const list = useQuery(people);
  const [name, setName] = useState("");
  const [role, setRole] = useState<Role>("viewer");
  const [link, setLink] = useState<{ name: string; address: string; minutes: number } | null>(null);
  const { attempt, error } = useAttempt("service");
  const invite = (e: FormEvent) => {
    e.preventDefault();
    void attempt(async () => {
      const l = take(await api.POST("/api/v1/session/link", { body: { name: name.trim(), role } }));
      setLink({ name: l.name, address: location.origin + l.path, minutes: l.minutes });
      setName("");
    });
  };
  const give = (p: Person, to: string) =>
    attempt(async () =>
      take(
        await api.PUT("/api/v1/people/{name}", {
          params: { path: { name: p.name } },
          body: { role: to as Person["role"] },
        }),
      ),
    );
  const drop = (p: Person) =>
    attempt(async () =>
      take(await api.DELETE("/api/v1/people/{name}", { params: { path: { name: p.name } } })),
    );
  return (
    <Section id="people" title="People" aside="A role holds at once, for their sessions and tokens too.">
      <form onSubmit={invite} className="flex flex-wrap items-end gap-2">
        <label className="max-w-full text-sm">
          name
          <input
            id="invite-name"
            className="input input-sm block w-56"
            maxLength={63}
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
        </label>
        <label className="max-w-full text-sm">
          role
          <select
            id="invite-role"
            className="select select-sm flex w-auto max-w-full"
            value={role}
            onChange={(e) => setRole(e.target.value as Role)}
          >
            {roles.map((r) => (
              <option key={r.role} value={r.role}>
                {r.role}: {r.may}
              </option>
            ))}
          </select>
        </label>
        <button
          id="invite"
          type="submit"
          className="btn btn-primary btn-sm"
          disabled={name.trim() === "" || name.trim() === me}
        >
          Make a sign-in link
        </button>
      </form>
      {link && (
        <Notice>
          <p id="invited">
            This signs {link.name} in once, within {link.minutes} minutes. It is shown this once; send it to
            them alone.
          </p>
          <p className="mt-1 break-all font-mono text-sm">{link.address}</p>
        </Notice>
      )}
      {error !== null && <Trouble error={error} />}
      {list.error && <Trouble error={list.error} />}
      {!list.data && !list.error && <Waiting what="people" />}
      {list.data && (
        <DataTable<Person>
          name="people"
          rows={list.data.items}
          rowKey={(p) => p.name}
          columns={[
            { title: "name", value: (p) => p.name },
            {
              title: "role",
              value: (p) => p.role || "none",
              show: (p) => (
                <select
                  className="select select-xs w-auto"
                  aria-label={`role of ${p.name}`}
                  value={p.role}
                  onChange={(e) => void give(p, e.target.value)}
                >
                  {roles.map((r) => (
                    <option key={r.role}>{r.role}</option>
                  ))}
                  <option value="">none</option>
                </select>
              ),
            },
            {
              title: "role given by",
              value: (p) => (p.by === "here" ? "an owner" : "the provider, at most this"),
            },
            {
              title: "signed in",
              value: (p) => p.seen ?? "",
              show: (p) => (p.seen ? here(p.seen) : "never"),
            },
            { title: "sessions", right: true, value: (p) => p.sessions },
            { title: "tokens", right: true, value: (p) => p.tokens },
            {
              title: "",
              value: () => "",
              show: (p) =>
                p.name !== me && (
                  <button
                    type="button"
                    className="link text-sm"
                    aria-label={`remove ${p.name}`}
                    onClick={() =>
                      confirm(`Remove ${p.name}? Their sessions and tokens end.`) && void drop(p)
                    }
                  >
                    Remove
                  </button>
                ),
            },
          ]}
        />
      )}
    </Section>
  );
}
