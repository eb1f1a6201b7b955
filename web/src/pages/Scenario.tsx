import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, type Schemas, take, type Work } from "../api/client";
import { scenario } from "../api/queries";
import { DataTable } from "../parts/DataTable";
import { Legend, onlyDelay, Ribbon } from "../parts/Ribbon";
import { Notice, Section, Trouble, Waiting } from "../parts/Section";
import { useTitle } from "../parts/useTitle";
import { count, duration, money } from "../words";
import { Rules } from "./caching/Rules";

type Numbers = Schemas["AgentNumbers"];
type Field = Exclude<keyof Numbers, "calendar">;

const fields: { key: Field; label: string; help: string; kind: "count" | "time" | "reuse" }[] = [
  { key: "reuse", label: "reuse", help: "whether an agent takes more than one job", kind: "reuse" },
  { key: "floor", label: "floor", help: "fewest agents", kind: "count" },
  { key: "ceiling", label: "ceiling", help: "most agents; empty: none", kind: "count" },
  { key: "spare", label: "spare", help: "idle agents kept ready ahead of demand", kind: "count" },
  { key: "linger", label: "linger", help: "how long an idle agent is kept, as in 10m", kind: "time" },
  { key: "every", label: "every", help: "time between two rounds of the controller", kind: "time" },
  { key: "step", label: "step", help: "most agents started in a round; 0: no limit", kind: "count" },
  { key: "settle", label: "settle", help: "how long demand must stay low before agents go", kind: "time" },
];

/** A design in one page; its agents' numbers can be changed in place and tried. */
export function Scenario() {
  const { name = "" } = useParams();
  useTitle(name);
  const found = useQuery(scenario(name));
  const queries = useQueryClient();
  const go = useNavigate();
  const [edits, setEdits] = useState<Record<string, string>>({});
  const [error, setError] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);

  const simulate = useCallback(async () => {
    setBusy(true);
    setError(null);
    try {
      const patch = Object.entries(edits).map(([path, value]) => toEdit(path, value));
      if (patch.length > 0) {
        take(
          await api.PATCH("/api/v1/documents/{kind}/{name}", {
            params: {
              path: { kind: "Scenario", name },
              header: { "If-Match": `"r${found.data?.revision}"` },
            },
            body: patch,
            headers: { "Content-Type": "application/json-patch+json" },
          }),
        );
      }
      const o = take(await api.POST("/api/v1/outcomes", { body: { scenario: name } }));
      await queries.invalidateQueries({ queryKey: ["scenarios"] });
      go(`/outcomes/${o.id}`);
    } catch (problem) {
      setError(problem);
      setBusy(false);
    }
  }, [edits, found.data?.revision, go, name, queries]);

  const cannot = busy || !found.data || found.data.faults.length > 0;
  useEffect(() => {
    const pressed = (e: KeyboardEvent) => {
      const at = e.target as HTMLElement;
      if (!cannot && e.key === "s" && !e.ctrlKey && !e.metaKey && !at.closest("input, select, textarea"))
        void simulate();
    };
    document.addEventListener("keydown", pressed);
    return () => document.removeEventListener("keydown", pressed);
  }, [simulate, cannot]);

  if (found.error) return <Trouble error={found.error} />;
  if (!found.data) return <Waiting what={`scenario ${name}`} />;
  const s = found.data;
  const change = (path: string, was: string, now: string) => {
    const next = { ...edits };
    if (now === was) delete next[path];
    else next[path] = now;
    setEdits(next);
  };
  const changed = Object.keys(edits).length;
  return (
    <>
      <div className="mt-8 flex flex-wrap items-start justify-between gap-4">
        <div>
          <h1 className="font-semibold text-2xl">{s.name}</h1>
          <p className="max-w-2xl">
            {s.note} On cluster{" "}
            <Link className="link" to={`/clusters/${s.cluster}`}>
              {s.cluster}
            </Link>
            , with workload{" "}
            <Link className="link" to={`/workloads/${s.workload}`}>
              {s.workload}
            </Link>
            ; revision {s.revision}.
          </p>
        </div>
        <div className="flex items-center gap-3">
          {changed > 0 && (
            <button type="button" className="btn btn-ghost btn-sm" onClick={() => setEdits({})}>
              Undo {changed} {changed === 1 ? "change" : "changes"}
            </button>
          )}
          <Link id="improve" className="btn" to={`/frontier/${s.name}`}>
            What should it be?
          </Link>
          <button
            type="button"
            id="simulate"
            className="btn btn-primary"
            onClick={simulate}
            disabled={cannot}
          >
            {busy ? "Asking …" : changed > 0 ? "Save and simulate" : "Simulate"}
          </button>
        </div>
      </div>
      {error !== null && <Trouble error={error} />}
      {s.faults.map((f) => (
        <Notice key={`${f.path}${f.expected}`}>
          <span className="font-mono text-sm">{f.path}</span> {f.found && `${f.found}: `}
          {f.expected}
        </Notice>
      ))}
      {s.last && <Last brief={s.last} current={s.current && changed === 0} />}
      <Section
        title="Agents"
        aside="change a number here and simulate; the document is saved as a new revision"
      >
        <div className="space-y-6">
          {s.spec.templates.map((use, i) => (
            <Template
              key={use.template}
              use={use}
              brief={s.templates.find((t) => t.name === use.template)}
              at={`/spec/templates/${i}/agents/`}
              edits={edits}
              change={change}
            />
          ))}
        </div>
        {s.spec.agentCeiling !== undefined && (
          <p className="mt-3 text-sm">No more than {s.spec.agentCeiling} agents of all templates together.</p>
        )}
      </Section>
      <Section
        title="Nodes"
        aside={`pods are ${s.spec.nodes?.placement === "pack" ? "packed tightly" : "spread out"}; the ${s.spec.nodes?.growth?.choose} pool grows, an empty node goes after ${s.spec.nodes?.growth?.shrinkAfter}`}
      >
        <DataTable
          name={`${s.name}-pools`}
          rows={s.pools}
          rowKey={(p) => p.name}
          columns={[
            { title: "pool", value: (p) => p.name },
            { title: "node type", value: (p) => p.nodeType },
            { title: "CPU for agents", right: true, value: (p) => p.cpu },
            { title: "memory for agents", right: true, value: (p) => p.memory },
            { title: "fewest", right: true, value: (p) => p.min },
            { title: "most", right: true, value: (p) => p.max },
            { title: `${s.currency} a node`, right: true, value: (p) => p.price },
          ]}
        />
      </Section>
      <Rules scenario={s.name} revision={s.revision} rules={s.spec.caching ?? []} />
      <Section title="Run">
        <p>
          {s.spec.run?.span ? `${s.spec.run.span} of jobs` : "All jobs of the log, or a week of made ones"},
          the first {s.spec.run?.warmup ?? "0s"} left out of the figures; {s.spec.run?.repeats} repeats from
          seed {s.spec.run?.seed}.
        </p>
      </Section>
    </>
  );
}

/** toEdit turns a changed field into an operation on the document. */
function toEdit(path: string, value: string): Schemas["Edit"] {
  if (value === "") return { op: "remove", path };
  return { op: "add", path, value: /^[0-9]+$/.test(value) ? Number(value) : value };
}

/** What the newest outcome said. */
function Last({ brief, current }: { brief: Work; current: boolean }) {
  const sum = brief.simulation?.summary;
  if (!sum) return null;
  return (
    <Section
      title="Last outcome"
      aside={
        <Link className="link" to={`/outcomes/${brief.id}`}>
          {current ? `outcome ${brief.id}` : `outcome ${brief.id}, of an earlier state of the design`}
        </Link>
      }
    >
      <p className="mb-2">
        {sum.wrong >= 0.5 && (
          <>
            <b>{count(sum.wrong)}</b> of {count(sum.jobs)} jobs go wrong for good.{" "}
          </>
        )}
        {sum.started > 0 ? (
          <>
            95 % of those that start do so within{" "}
            <b>{sum.p95DelayNs === undefined ? "– (too few)" : duration(sum.p95DelayNs)}</b>
          </>
        ) : (
          <b>None starts</b>
        )}
        , for <b>{money(sum.costPerMonth, sum.currency)}</b> a month. Mean start delay{" "}
        {duration(sum.meanDelayNs)}:
      </p>
      <Ribbon ns={onlyDelay(sum.ribbonNs)} whole={sum.meanDelayNs} label="mean start delay" />
      <div className="mt-2">
        <Legend ns={onlyDelay(sum.ribbonNs)} />
      </div>
    </Section>
  );
}

/** One template with its agents' numbers. */
function Template({
  use,
  brief,
  at,
  edits,
  change,
}: {
  use: Schemas["TemplateUse"];
  brief?: Schemas["TemplateBrief"];
  at: string;
  edits: Record<string, string>;
  change: (path: string, was: string, now: string) => void;
}) {
  const numbers = use.agents ?? {};
  return (
    <fieldset className="border-base-300 border-l-2 pl-4">
      <legend className="float-left font-medium">{use.template}</legend>
      <p className="mb-2 text-sm opacity-85">
        &nbsp;
        {brief && `· offers ${brief.offers.join(", ")} · ${brief.cpu} CPU, ${brief.memory}`}
      </p>
      <div className="clear-both grid grid-cols-2 gap-x-4 gap-y-2 sm:grid-cols-4 lg:grid-cols-8">
        {fields.map((f) => {
          const path = at + f.key;
          const was = String(numbers[f.key] ?? (f.kind === "time" ? "0s" : f.key === "ceiling" ? "" : "0"));
          const now = edits[path] ?? was;
          const id = `${use.template}-${f.key}`;
          const set = (v: string) => change(path, was, v);
          if (f.kind !== "reuse") {
            const type = f.kind === "count" ? "number" : "text";
            return (
              <Count
                key={f.key}
                id={id}
                label={f.label}
                help={f.help}
                type={type}
                was={was}
                now={now}
                change={set}
              />
            );
          }
          return (
            <div key={f.key}>
              <label htmlFor={id} className="block text-sm" title={f.help}>
                {f.label}
              </label>
              <select
                id={id}
                className={`select select-sm w-full ${marked(was, now)}`}
                value={now}
                onChange={(e) => set(e.target.value)}
              >
                <option>while-idle</option>
                <option>never</option>
              </select>
            </div>
          );
        })}
      </div>
      {numbers.calendar?.map((c, j) => (
        <div
          key={c.when}
          className="mt-3 grid grid-cols-2 items-end gap-x-4 gap-y-2 sm:grid-cols-4 lg:grid-cols-8"
        >
          <p className="col-span-2 text-sm sm:col-span-1">
            {c.when}
            <br />
            <span className="opacity-80">{c.zone}</span>
          </p>
          {(["floor", "ceiling", "spare"] as const).map((key) => {
            const path = `${at}calendar/${j}/${key}`;
            const was = String(c[key] ?? "");
            return (
              <Count
                key={key}
                id={`${use.template}-${j}-${key}`}
                label={`${key} then`}
                help={`${key} in this part of the week; empty: as otherwise`}
                was={was}
                now={edits[path] ?? was}
                change={(now) => change(path, was, now)}
              />
            );
          })}
        </div>
      ))}
    </fieldset>
  );
}

/** marked shows that a field was changed and not saved. */
const marked = (was: string, now: string) => (was === now ? "" : "border-warning font-semibold");

/** One number or time of the design. */
function Count({
  id,
  label,
  help,
  type = "number",
  was,
  now,
  change,
}: {
  id: string;
  label: string;
  help: string;
  type?: "number" | "text";
  was: string;
  now: string;
  change: (now: string) => void;
}) {
  return (
    <div>
      <label htmlFor={id} className="block text-sm" title={help}>
        {label}
      </label>
      <input
        id={id}
        className={`input input-sm w-full ${marked(was, now)}`}
        type={type}
        min={0}
        title={help}
        value={now}
        onChange={(e) => change(e.target.value)}
      />
    </div>
  );
}
