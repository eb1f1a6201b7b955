import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { kept } from "../../api/queries/service";
import { DataTable } from "../../parts/DataTable";
import { Notice, Section, Trouble, Waiting } from "../../parts/Section";
import { bytes, count, duration, here } from "../../words";

type Table = Schemas["KeptTable"];
type Term = Schemas["KeptTerm"];

/** How much is kept of what, what goes, and how backups stand. */
export function Records() {
  const [days, setDays] = useState(7);
  const [all, setAll] = useState(false);
  const k = useQuery(kept(days));
  if (k.error) return <Trouble error={k.error} />;
  if (!k.data) return <Waiting what="records" />;
  const { backups: b, going, tables } = k.data;
  const of = (t: Term) => going.find((g) => g.kind === t.kind);
  return (
    <>
      <Section id="backups" title="Backups">
        {b.every === 0 ? (
          <p>
            The service makes none by itself;{" "}
            <code className="font-mono text-sm">serve --backup-every 24h</code> has it do so.
          </p>
        ) : (
          <p>
            Made every {duration(b.every)}, {b.keep} kept:{" "}
            {b.last
              ? `there are ${b.kept}, the newest of ${here(b.last)}, ${bytes(b.bytes)}.`
              : "there is none yet."}
          </p>
        )}
        {b.failure && <Notice>The last backup failed: {b.failure}</Notice>}
        <p className="mt-1 text-sm opacity-80">
          By hand: <code className="font-mono">tachyphor backup FILE</code>, and{" "}
          <code className="font-mono">tachyphor restore FILE</code> into an empty state folder.
        </p>
      </Section>
      <Section
        id="terms"
        title="How long things are kept"
        aside={
          <label className="flex items-center gap-2">
            what goes within
            <select
              className="select select-xs w-auto"
              id="days"
              value={days}
              onChange={(e) => setDays(Number(e.target.value))}
            >
              {[0, 7, 30, 90, 400].map((d) => (
                <option key={d} value={d}>
                  {d === 0 ? "the hour" : `${d} days`}
                </option>
              ))}
            </select>
          </label>
        }
      >
        <DataTable<Term>
          name="terms"
          rows={k.data.terms}
          rowKey={(t) => t.kind}
          columns={[
            { title: "what", value: (t) => t.kind },
            {
              title: "kept for",
              right: true,
              value: (t) => t.days,
              show: (t) => (t.days ? `${t.days} days` : "ever"),
            },
            {
              title: "goes",
              right: true,
              value: (t) => of(t)?.count ?? 0,
              show: (t) => (t.kind === "live" ? "–" : count(of(t)?.count ?? 0)),
            },
            {
              title: "size",
              right: true,
              value: (t) => of(t)?.bytes ?? 0,
              show: (t) => (of(t)?.bytes ? bytes(of(t)?.bytes ?? 0) : "–"),
            },
          ]}
        />
        {going
          .filter((g) => g.ids.length > 0)
          .map((g) => (
            <p key={g.kind} className="mt-2 text-sm">
              Results of{" "}
              {g.ids.map((id) => (
                <Link key={id} to={`/outcomes/${id}`} className="link mr-2">
                  {id}
                </Link>
              ))}{" "}
              are deleted. A pin on the outcome's page keeps one.
            </p>
          ))}
      </Section>
      <Section id="sizes" title="How large the records are" aside={`${bytes(k.data.bytes)} in all`}>
        <DataTable<Table>
          name="sizes"
          rows={all ? tables : tables.slice(0, 6)}
          rowKey={(t) => t.name}
          columns={[
            { title: "what", value: (t) => t.name },
            { title: "rows, about", right: true, value: (t) => t.rows, show: (t) => count(t.rows) },
            { title: "size", right: true, value: (t) => t.bytes, show: (t) => bytes(t.bytes) },
          ]}
        />
        {!all && tables.length > 6 && (
          <button type="button" className="link text-sm" onClick={() => setAll(true)}>
            Show all {tables.length}
          </button>
        )}
      </Section>
    </>
  );
}
