import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useMemo, useState } from "react";
import type { Schemas } from "../../api/client";
import { scenarios, usual } from "../../api/queries/documents";
import { agents } from "../../api/queries/live";
import { connections } from "../../api/queries/service";
import { Bar, Key, type Segment } from "../../parts/Bar";
import { Notice, Section, Trouble } from "../../parts/Section";
import { useAddress } from "../../parts/useAddress";
import { count, duration, few } from "../../words";
import type { Line } from "./OverTime";

const OverTime = lazy(() => import("./OverTime"));

type Agent = Schemas["WatchedAgent"];
type Band = Schemas["Band"];

/** Agents in the cluster as ribbons that grow, those that stick explained, beside what is usual for this hour. */
export function Agents() {
  const { query, change } = useAddress();
  const namespace = query.get("namespace") ?? "";
  const beside = query.get("beside") ?? "";
  const [typed, setTyped] = useState(namespace);
  const reach = useQuery(connections);
  const all = useQuery(scenarios);
  const found = useQuery(agents(namespace));
  const set = (key: string, value: string) => change({ [key]: value });
  const none = reach.data && reach.data.contexts.length === 0;
  return (
    <Section id="agents" title="Agents in the cluster" aside={found.data ? found.data.context : ""}>
      {none ? (
        <p className="max-w-4xl text-sm opacity-80">
          The service reaches no cluster: {reach.data?.why}. On the command line, with your own kubeconfig:{" "}
          <code>tachyphor watch NAMESPACE</code>
        </p>
      ) : (
        <form
          className="flex flex-wrap items-center gap-x-5 gap-y-2 text-sm"
          onSubmit={(e) => {
            e.preventDefault();
            set("namespace", typed.trim());
          }}
        >
          <label className="flex items-center gap-2">
            namespace
            <input
              id="namespace"
              className="input input-sm w-44"
              value={typed}
              placeholder="slipway"
              onChange={(e) => setTyped(e.target.value)}
            />
          </label>
          <label className="flex items-center gap-2">
            beside what is usual in
            <select
              id="beside"
              className="select select-sm w-auto"
              value={beside}
              onChange={(e) => set("beside", e.target.value)}
            >
              <option value="">no scenario</option>
              {all.data?.items.map((s) => (
                <option key={s.name}>{s.name}</option>
              ))}
            </select>
          </label>
          <button type="submit" id="follow" className="btn btn-primary btn-sm">
            Follow
          </button>
        </form>
      )}
      {found.error && <Trouble error={found.error} />}
      {found.data && <View w={found.data} beside={beside} />}
    </Section>
  );
}

const segments = (a: Agent): Segment[] =>
  a.stretches.map((s) => ({
    key: s.phase + s.fromNs,
    name: s.phase,
    ns: s.ns,
    colour: `var(--phase-${s.phase})`,
  }));

const phases = ["placing", "node", "image", "setup", "work", "wipe"];

function View({ w, beside }: { w: Schemas["Watched"]; beside: string }) {
  const usually = useQuery(usual(beside));
  const hour = usually.data?.hours[usually.data.hour];
  const oldest = Math.max(...w.list.map((a) => a.ageNs), 1);
  const [at, lines] = useMemo<[string[], Line[]]>(() => {
    const of = (pick: (m: Schemas["WatchedMoment"]) => number) => w.before.map(pick);
    return [
      w.before.map((m) => m.at),
      [
        { name: "agents", values: of((m) => m.agents), colour: "--color-primary", usual: (h) => h.agents },
        { name: "agents without a node", values: of((m) => m.waiting), colour: "--phase-placing" },
        { name: "nodes", values: of((m) => m.nodes), colour: "--phase-image", usual: (h) => h.nodes },
      ],
    ];
  }, [w.before]);
  return (
    <>
      {w.away && (
        <Notice>
          The cluster has not answered for {duration(w.awayNs ?? 0)}: {w.away}. What is shown is as it was
          then.
        </Notice>
      )}
      {w.blind?.map((b) => (
        <p key={b} className="text-sm opacity-80">
          May not be read: {b}
        </p>
      ))}
      {usually.error && <Trouble error={usually.error} />}
      <dl id="counts" className="mt-3 flex flex-wrap gap-x-8 gap-y-1">
        <Count name="agents" n={w.agents} band={hour?.agents} />
        <Count name="wait for a node" n={w.waiting} />
        <Count name="starting" n={w.starting} />
        <Count name="at work" n={w.working} />
        <Count name="nodes" n={w.nodes} band={hour?.nodes} />
        {w.stuck > 0 && <Count name="stuck" n={w.stuck} bad />}
      </dl>
      {w.before.length > 1 && (
        <Suspense>
          <OverTime
            at={at}
            lines={lines}
            week={usually.data}
            label="agents and nodes since they are watched, beside what is usual"
          />
        </Suspense>
      )}
      {w.list.length === 0 ? (
        <p className="mt-3 opacity-80">There are no agents in {w.namespace}.</p>
      ) : (
        <>
          <div className="mt-2">
            <Key
              times={false}
              list={phases.map((p) => ({ key: p, name: p, ns: 0, colour: `var(--phase-${p})` }))}
            />
          </div>
          <ul className="mt-2">
            {w.list.map((a) => (
              <li key={`${a.namespace}/${a.pod}`} className="border-base-300 border-b py-1.5">
                <div className="grid grid-cols-[minmax(10rem,18rem)_1fr_9rem] items-center gap-x-4 text-sm">
                  <span className="truncate" title={`${a.pod}${a.node ? ` on ${a.node}` : ""}`}>
                    {a.pod}
                  </span>
                  <Bar list={segments(a)} whole={oldest} label={a.pod} />
                  <span className="text-right tabular-nums">
                    {a.phase} {duration(whole(a.phase === "gone" ? a.ageNs : a.sinceNs))}
                  </span>
                </div>
                {a.stuck && (
                  <p className="mt-1 max-w-4xl text-sm">
                    <span className="font-medium text-error">{a.says}</span> {a.do}
                  </p>
                )}
              </li>
            ))}
          </ul>
          {w.agents > w.list.length && (
            <p className="mt-1 text-sm opacity-80">and {count(w.agents - w.list.length)} more</p>
          )}
        </>
      )}
    </>
  );
}

/** Whole seconds: what grows is told no finer. */
const whole = (ns: number) => Math.floor(ns / 1e9) * 1e9;

export function Count({ name, n, band, bad }: { name: string; n: number; band?: Band; bad?: boolean }) {
  const off = band !== undefined && (n > band.high + 1 || n < band.low - 1);
  return (
    <div className="flex items-baseline gap-2">
      <dt className="text-sm opacity-80">{name}</dt>
      <dd
        className={`tabular-nums ${bad ? "font-medium text-error" : off ? "font-medium text-warning" : ""}`}
      >
        {count(n)}
        {band && (
          <span
            className="ml-1 font-normal text-base-content text-sm opacity-80"
            title="nine times in ten at this hour of the week"
          >
            usual {few(band.low)}
            {few(band.high) !== few(band.low) && ` to ${few(band.high)}`}
          </span>
        )}
      </dd>
    </div>
  );
}
