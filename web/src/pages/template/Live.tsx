import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, cancel, over, type Schemas, take, type Work, watch } from "../../api/client";
import { connections } from "../../api/queries/service";
import { trials } from "../../api/queries/templates";
import { DataTable } from "../../parts/DataTable";
import { Legend, Ribbon } from "../../parts/Ribbon";
import { Notice, Section, Trouble, Waiting } from "../../parts/Section";
import { useAddress } from "../../parts/useAddress";
import { duration, here, phases } from "../../words";

/** Preflight and rehearsal on a live cluster, with their progress. */
export function Live({ name, uses, saved }: { name: string; uses: string[]; saved: boolean }) {
  const places = useQuery(connections);
  const past = useQuery(trials(name));
  const queries = useQueryClient();
  const { query, change } = useAddress();
  const [cluster, setCluster] = useState("");
  const [risky, setRisky] = useState(false);
  const [error, setError] = useState<unknown>(null);
  const shown = Number(query.get("trial") ?? 0);
  const show = (trial: number) => change({ trial });
  const begin = async (kind: "preflight" | "rehearsal") => {
    setError(null);
    try {
      const body = { kind, template: name, scenario: uses[0], context: cluster || undefined, risky };
      const t = take(await api.POST("/api/v1/trials", { body }));
      await queries.invalidateQueries({ queryKey: ["trials", { template: name }] });
      show(t.id);
    } catch (problem) {
      setError(problem);
    }
  };
  if (places.error) return <Trouble error={places.error} />;
  if (!places.data) return <Waiting what="clusters" />;
  if (places.data.contexts.length === 0) {
    return (
      <Notice>
        {places.data.why} Or try it from your own machine:{" "}
        <code>tachyphor preflight {name} --kubeconfig ~/.kube/config</code>
      </Notice>
    );
  }
  return (
    <div>
      <div className="flex flex-wrap items-center gap-3">
        <label className="flex items-center gap-2 text-sm">
          cluster
          <select
            className="select select-sm w-auto"
            value={cluster}
            onChange={(e) => setCluster(e.target.value)}
          >
            {places.data.contexts.map((c, i) => (
              <option key={c} value={i === 0 ? "" : c}>
                {c}
              </option>
            ))}
          </select>
        </label>
        <button type="button" id="preflight" className="btn btn-sm" onClick={() => begin("preflight")}>
          Test the connection
        </button>
        <button
          type="button"
          id="rehearse"
          className="btn btn-primary btn-sm"
          onClick={() => begin("rehearsal")}
        >
          Rehearse one agent
        </button>
        <label className="flex items-center gap-2 text-sm">
          <input
            type="checkbox"
            id="risky"
            className="checkbox checkbox-sm"
            checked={risky}
            onChange={(e) => setRisky(e.target.checked)}
          />
          also where the check finds it risky
        </label>
      </div>
      <p className="mt-2 max-w-2xl text-sm opacity-80">
        A test changes nothing. A rehearsal makes one agent with a harmless job and removes it again, whatever
        happens.
      </p>
      {!saved && <Notice>What is tried is the stored revision; save your changes first.</Notice>}
      {error !== null && <Trouble error={error} />}
      {shown > 0 && <Shown key={shown} id={shown} />}
      {past.data && past.data.items.length > 0 && (
        <Section title="Earlier">
          <DataTable<Work>
            name={`${name}-trials`}
            rows={past.data.items}
            rowKey={(t) => String(t.id)}
            columns={[
              {
                title: "what",
                value: (t) => t.kind,
                show: (t) => (
                  <button type="button" className="link link-primary" onClick={() => show(t.id)}>
                    {t.kind} {t.id}
                  </button>
                ),
              },
              { title: "cluster", value: (t) => t.trial?.context ?? "" },
              { title: "state", value: (t) => t.state },
              {
                title: "took",
                right: true,
                value: (t) => t.seconds ?? 0,
                show: (t) => (t.seconds ? duration(t.seconds * 1e9) : "–"),
              },
              {
                title: "asked",
                value: (t) => t.asked,
                show: (t) => here(t.asked),
              },
              { title: "by", value: (t) => t.by },
            ]}
          />
        </Section>
      )}
    </div>
  );
}

/** One trial, followed while it runs. */
function Shown({ id }: { id: number }) {
  const [now, setNow] = useState<Work | null>(null);
  const [error, setError] = useState<unknown>(null);
  const queries = useQueryClient();
  useEffect(
    () =>
      watch(id, (t) => {
        setNow(t);
        if (over(t)) void queries.invalidateQueries({ queryKey: ["trials"] });
      }),
    [id, queries],
  );
  const end = async () => {
    try {
      await cancel(id);
    } catch (problem) {
      setError(problem);
    }
  };
  if (!now) return <p className="mt-4">Beginning …</p>;
  return (
    <Section
      title={now.kind === "preflight" ? "The connection" : "One agent"}
      aside={
        over(now) ? (
          `${now.state}${now.seconds ? ` after ${duration(now.seconds * 1e9)}` : ""}, cluster ${now.trial?.context}`
        ) : (
          <button type="button" className="btn btn-sm" onClick={end}>
            Break off
          </button>
        )
      }
    >
      {error !== null && <Trouble error={error} />}
      {now.error && <Trouble error={new Error(now.error)} />}
      {now.kind === "preflight" ? <Checks list={now.trial?.checks ?? []} done={over(now)} /> : null}
      {now.trial?.agent && <Agent of={now.trial.agent} done={over(now)} />}
    </Section>
  );
}

const states: Record<string, [string, string]> = {
  passed: ["passed", "text-success"],
  failed: ["failed", "text-error font-semibold"],
  unclear: ["could not tell", "text-warning font-medium"],
};

/** Every check of a preflight on a line, with what to do next. */
function Checks({ list, done }: { list: Schemas["Check"][]; done: boolean }) {
  const n = (s: string) => list.filter((c) => c.state === s).length;
  return (
    <>
      <p className="mb-2" id="checks" data-done={done}>
        {n("passed")} passed, {n("failed")} failed, {n("unclear")} could not be decided
        {done ? "." : " so far …"}
      </p>
      <ol className="text-sm">
        {list.map((c) => (
          <li
            key={c.name}
            className="grid grid-cols-[6.5rem_minmax(0,1fr)] gap-x-3 border-base-300 border-t py-1"
          >
            <span className={states[c.state]?.[1]}>{states[c.state]?.[0]}</span>
            <span>
              <b className="font-medium">{c.name}</b>: {c.says}
              {c.do && (
                <span className="block">
                  <span aria-hidden="true">→ </span>
                  {c.do}
                </span>
              )}
            </span>
          </li>
        ))}
      </ol>
    </>
  );
}

/** The rehearsed agent's life, with what the cluster said. */
function Agent({ of, done }: { of: Schemas["Rehearsal"]; done: boolean }) {
  const ns = phases.map((p) => of.stretches.filter((s) => s.phase === p).reduce((sum, s) => sum + s.ns, 0));
  const whole = ns.reduce((a, b) => a + b, 0);
  return (
    <div id="rehearsal" data-done={done}>
      {of.says ? (
        <p className={of.worked ? "" : "text-error"}>
          {of.says}
          {of.do && (
            <span className="block text-base-content">
              <span aria-hidden="true">→ </span>
              {of.do}
            </span>
          )}
        </p>
      ) : (
        <p>
          {of.node ? `On node ${of.node}.` : "Waiting for a node."} {of.events.at(-1)?.message}
        </p>
      )}
      {whole > 0 && (
        <div className="mt-3">
          <Ribbon ns={ns} whole={whole} label="life of the agent" tall />
          <div className="mt-2">
            <Legend ns={ns} times />
          </div>
        </div>
      )}
      <ol className="mt-3 text-sm">
        {of.events.map((e, i) => (
          <li
            // biome-ignore lint/suspicious/noArrayIndexKey: events only grow at the end, and may be alike
            key={i}
            className="grid grid-cols-[4.5rem_minmax(0,1fr)] gap-x-3 border-base-300 border-t py-1 sm:grid-cols-[4.5rem_9rem_minmax(0,1fr)]"
          >
            <span className="text-right tabular-nums">{duration(e.atNs)}</span>
            <span className={e.warning ? "font-medium text-warning" : ""}>{e.reason}</span>
            <span className="col-start-2 [overflow-wrap:anywhere] sm:col-start-auto">{e.message}</span>
          </li>
        ))}
      </ol>
      {of.log && (
        <>
          <p className="mt-3 text-sm opacity-80">What the job wrote:</p>
          <pre
            // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls is reached by the keyboard
            tabIndex={0}
            className="overflow-x-auto border border-base-300 bg-base-200 p-3 font-mono text-xs leading-5"
          >
            {of.log}
          </pre>
        </>
      )}
      {of.cleaned && <p className="mt-2 text-sm opacity-80">Afterwards: {of.cleaned}.</p>}
    </div>
  );
}
