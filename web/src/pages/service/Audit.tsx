import { useInfiniteQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { audit } from "../../api/queries/service";
import { DataTable } from "../../parts/DataTable";
import { Section, Trouble, Waiting } from "../../parts/Section";
import { here } from "../../words";

type Deed = Schemas["Deed"];

/** Who changed what, and who was refused. */
export function Audit() {
  const [who, setWho] = useState("");
  const [result, setResult] = useState<"" | "done" | "refused">("");
  const pages = useInfiniteQuery(audit({ who: who.trim() || undefined, result: result || undefined }));
  const rows = pages.data?.pages.flatMap((p) => p.items) ?? [];
  const query = new URLSearchParams();
  if (who.trim()) query.set("who", who.trim());
  if (result) query.set("result", result);
  return (
    <Section
      id="audit"
      title="Audit"
      aside={
        <a className="link" href={`/api/v1/audit/export?${query}`} download="audit.csv">
          All of it as CSV
        </a>
      }
    >
      <div className="mb-2 flex flex-wrap items-end gap-2">
        <label className="max-w-full text-sm">
          who
          <input
            id="audit-who"
            className="input input-sm block w-48"
            placeholder="everyone"
            value={who}
            onChange={(e) => setWho(e.target.value)}
          />
        </label>
        <label className="max-w-full text-sm">
          what came of it
          <select
            id="audit-result"
            className="select select-sm flex w-auto max-w-full"
            value={result}
            onChange={(e) => setResult(e.target.value as typeof result)}
          >
            <option value="">done and refused</option>
            <option value="done">done</option>
            <option value="refused">refused</option>
          </select>
        </label>
      </div>
      {pages.error && <Trouble error={pages.error} />}
      {pages.isPending && <Waiting what="the audit" />}
      {pages.data && rows.length === 0 && <p className="py-2 text-sm opacity-80">Nothing of that.</p>}
      {rows.length > 0 && (
        <DataTable<Deed>
          name="audit"
          rows={rows}
          rowKey={(d) => String(d.id)}
          columns={[
            { title: "when", value: (d) => d.at, show: (d) => here(d.at) },
            {
              title: "who",
              value: (d) => d.who,
              show: (d) =>
                `${d.who || "nobody"}${d.via ? ` by ${d.via}` : ""}${d.role ? ` (${d.role})` : ""}`,
            },
            { title: "from", value: (d) => d.from },
            { title: "what", value: (d) => d.what },
            { title: "on", value: (d) => d.on, wide: true },
            {
              title: "result",
              value: (d) => d.result,
              show: (d) => <span className={d.result === "refused" ? "text-error" : ""}>{d.result}</span>,
            },
            { title: "what came of it", value: (d) => d.said, wide: true },
          ]}
        />
      )}
      {pages.hasNextPage && (
        <button type="button" className="btn btn-sm mt-2" onClick={() => void pages.fetchNextPage()}>
          Show earlier
        </button>
      )}
    </Section>
  );
}
