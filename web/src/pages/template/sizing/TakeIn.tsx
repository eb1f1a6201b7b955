import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, type Schemas, take } from "../../../api/client";
import { Trouble } from "../../../parts/Section";
import { count, here } from "../../../words";

type Taken = Schemas["Taken"];

/** Taking in samples, from a file here or on the command line, and what came before. */
export function TakeIn({ name, intakes = [] }: { name: string; intakes?: Schemas["IntakeOfUsage"][] }) {
  const queries = useQueryClient();
  const samples = useRef<HTMLInputElement>(null);
  const jobs = useRef<HTMLInputElement>(null);
  const [error, setError] = useState<unknown>(null);
  const [taken, setTaken] = useState<Taken | null>(null);
  const [busy, setBusy] = useState(false);
  const send = async () => {
    const file = samples.current?.files?.[0];
    if (!file) {
      setError(new Error("Choose a file with samples first."));
      return;
    }
    setBusy(true);
    setError(null);
    setTaken(null);
    try {
      const log = jobs.current?.files?.[0];
      const digest = log ? take(await api.POST("/api/v1/recordings", raw(log))).digest : undefined;
      setTaken(
        take(
          await api.POST("/api/v1/usage/{template}", {
            params: { path: { template: name }, query: { source: file.name, jobs: digest } },
            ...raw(file),
          }),
        ),
      );
      await queries.invalidateQueries({ queryKey: ["templates", name] });
    } catch (problem) {
      setError(problem);
    }
    setBusy(false);
  };
  return (
    <div className="max-w-4xl">
      <div className="flex flex-wrap items-end gap-4">
        <label className="text-sm">
          samples: CSV, Parquet, or answers of Prometheus
          <input ref={samples} id="samples" type="file" className="file-input file-input-sm mt-1 block" />
        </label>
        <label className="text-sm">
          job log, to know classes (may be left out)
          <input ref={jobs} id="jobs" type="file" className="file-input file-input-sm mt-1 block" />
        </label>
        <button type="button" id="take-in" className="btn btn-sm" disabled={busy} onClick={send}>
          {busy ? "Reading …" : "Take in"}
        </button>
      </div>
      {error !== null && <Trouble error={error} />}
      {taken && <p className="mt-2">{words(taken)}</p>}
      {taken && taken.bad > 0 && (
        <ul className="font-mono text-sm">
          {taken.badRows.slice(0, 5).map((b) => (
            <li key={b.line}>
              line {b.line}
              {b.column && `, column ${b.column}`}
              {b.found && `: found "${b.found}"`}: {b.reason}
            </li>
          ))}
        </ul>
      )}
      <p className="mt-3 text-sm opacity-80">
        The same on the command line, also live from a Prometheus:{" "}
        <code>tachyphor observe {name} usage.csv --jobs jobs.csv</code> or{" "}
        <code>tachyphor observe {name} --prometheus http://127.0.0.1:9090 --since 14d</code>
      </p>
      {intakes.length > 0 && (
        <ul className="mt-3 text-sm">
          {intakes.map((i) => (
            <li key={i.at}>
              {here(i.at)}, {i.source || "no name"}: {words(i.report)}
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}

/** raw sends a file as it is. */
const raw = (file: File) => ({
  body: file as unknown as string,
  bodySerializer: (body: unknown) => body as BodyInit,
  headers: { "Content-Type": "text/csv" },
});

/** words say what taking in samples came to. */
function words(t: Taken): string {
  const o = t.oddities;
  const odd = [
    [o.gaps, "gaps"],
    [o.resets, "counters that started over"],
    [o.restarts, "restarts"],
    [o.duplicates, "samples twice"],
    [o.steps, "samples before a clock step"],
    [o.missing, "empty samples"],
  ]
    .filter(([n]) => Number(n) > 0)
    .map(([n, what]) => `${count(Number(n))} ${what}`);
  return [
    `${count(t.samples)} samples make ${count(t.runs)} runs: ${count(t.new)} new, ${count(t.replaced)} told better, ${count(t.known)} known`,
    t.matched ? `${count(t.matched.jobs)} matched with the job log, ${count(t.matched.alone)} not in it` : "",
    odd.length > 0 ? `worked around: ${odd.join(", ")}` : "",
    t.bad > 0 ? `${count(t.bad)} rows refused` : "",
  ]
    .filter(Boolean)
    .join("; ");
}
