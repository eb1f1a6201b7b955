import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, hereZone, learnJobs, type Schemas, take } from "../api/client";
import { documentNames } from "../api/queries/documents";
import { DropLog, onDrop } from "../parts/DropLog";
import { Faults } from "../parts/Faults";
import { Notice, Trouble } from "../parts/Section";
import { useAddress } from "../parts/useAddress";
import { useTitle } from "../parts/useTitle";
import { asWritten, count } from "../words";

type Learned = Schemas["LearnedJobs"];
type Begun = Schemas["Begun"];

/** From nothing to a first outcome: a job log dropped, a manifest pasted, a node named or assumed. */
export function Start() {
  useTitle("Begin");
  const queries = useQueryClient();
  const go = useNavigate();
  const clusters = useQuery(documentNames("Cluster"));
  const [log, setLog] = useState<File | null>(null);
  const [jobs, setJobs] = useState<Learned | null>(null);
  const workloads = useQuery(documentNames("Workload"));
  const { query, instead } = useAddress();
  const stored = query.get("workload") ?? "";
  const [manifests, setManifests] = useState("");
  const [cluster, setCluster] = useState("");
  const [node, setNode] = useState({ cpu: "", memory: "", price: "", currency: "EUR" });
  const [begun, setBegun] = useState<Begun | null>(null);
  const [wrong, setWrong] = useState<{ log?: unknown; manifest?: unknown; end?: unknown }>({});
  const [doing, setDoing] = useState("");
  const asked = useRef(0);

  const takeLog = async (file: File) => {
    instead({ workload: "" });
    setLog(file);
    setJobs(null);
    setDoing("Reading the log …");
    try {
      setJobs(await learnJobs(file, { zone: hereZone, file: file.name }));
      setWrong((w) => ({ ...w, log: undefined }));
    } catch (problem) {
      setWrong((w) => ({ ...w, log: problem }));
    }
    setDoing("");
  };
  const known = jobs && !jobs.refused && jobs.jobs > 0 && stored === "" ? jobs : null;
  const workload = stored || known?.name || "";
  const named = node.cpu !== "" && node.memory !== "" && node.price !== "";
  const ask = (store: boolean) =>
    api.POST("/api/v1/begin", {
      body: {
        workload,
        text: store ? undefined : known?.workload,
        manifests,
        node: named && cluster === "" ? `${node.cpu},${node.memory},${node.price}` : undefined,
        currency: node.currency || undefined,
        cluster: cluster || undefined,
        store,
      },
    });
  const question = JSON.stringify([workload, known?.jobs, manifests, cluster, node]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the question is all that it asks
  useEffect(() => {
    if (workload === "" || manifests.trim() === "") {
      setBegun(null);
      return;
    }
    const mine = ++asked.current;
    const later = setTimeout(async () => {
      try {
        const b = take(await ask(false));
        if (mine !== asked.current) return;
        setBegun(b);
        setWrong((w) => ({ ...w, manifest: undefined }));
      } catch (problem) {
        if (mine !== asked.current) return;
        setBegun(null);
        setWrong((w) => ({ ...w, manifest: problem }));
      }
    }, 250);
    return () => clearTimeout(later);
  }, [question]);

  const simulate = async () => {
    if (!begun) return;
    setWrong((w) => ({ ...w, end: undefined }));
    try {
      if (log && known) {
        setDoing("Storing the jobs …");
        const learned = await learnJobs(log, { zone: hereZone, file: log.name, into: known.name });
        if (learned.refused) throw new Error(learned.refused);
      }
      setDoing("Storing the templates …");
      const all = take(await ask(true));
      setDoing("Asking for the simulation …");
      const o = take(await api.POST("/api/v1/outcomes", { body: { scenario: all.scenario } }));
      await queries.invalidateQueries();
      go(`/outcomes/${o.id}`);
    } catch (problem) {
      setWrong((w) => ({ ...w, end: problem }));
    }
    setDoing("");
  };
  return (
    <div className="mt-8 max-w-4xl space-y-8">
      <div>
        <h1 className="font-semibold text-2xl">Begin with your jobs and a manifest</h1>
        <p className="max-w-3xl">
          A log of jobs and the manifest of the pods that run them give a first answer: how long jobs would
          wait, for what, and what it would cost. Nothing is stored before you press Simulate.
        </p>
      </div>

      <section id="jobs-step">
        <h2 className="mb-2 font-semibold text-lg">1. The jobs</h2>
        <DropLog log={log} take={takeLog}>
          Any table with a row for each job: when it came or began, and how long it worked or when it ended.
        </DropLog>
        {(workloads.data?.length ?? 0) > 0 && (
          <p className="mt-2">
            <label htmlFor="workload">Or a workload that is stored </label>
            <select
              id="workload"
              className="select select-sm w-auto max-w-full"
              value={stored}
              onChange={(e) => instead({ workload: e.target.value })}
            >
              <option value="">none: the log above</option>
              {workloads.data?.map((n) => (
                <option key={n}>{n}</option>
              ))}
            </select>
          </p>
        )}
        {wrong.log !== undefined && <Trouble error={wrong.log} />}
        {jobs?.refused && stored === "" && (
          <Notice>
            {jobs.refused}. <OnLearn />, store them there, and choose them here.
          </Notice>
        )}
        {known && (
          <p className="mt-2">
            <b>{count(known.jobs)}</b> jobs from {asWritten(known.from)} to {asWritten(known.to)}, of{" "}
            {count(known.classes.length)} {known.classes.length === 1 ? "class" : "classes"}
            {known.classes.some((c) => c.wants.length > 0) && (
              <>
                , which want{" "}
                <b className="font-medium">
                  {[...new Set(known.classes.flatMap((c) => c.wants))].slice(0, 12).join(", ")}
                </b>
              </>
            )}
            . <OnLearn />
          </p>
        )}
      </section>

      <section id="manifest-step">
        <h2 className="mb-2 font-semibold text-lg">2. The pods that run them</h2>
        <label htmlFor="manifests" className="text-sm">
          Paste a manifest with a pod template: a PodTemplate, Pod, Deployment, StatefulSet, Job and the like;
          several one after the other, the preferred one first.
        </label>
        <textarea
          id="manifests"
          className="textarea mt-1 h-48 w-full font-mono text-sm"
          spellCheck={false}
          value={manifests}
          onChange={(e) => setManifests(e.target.value)}
          {...onDrop(async (file) => setManifests(await file.text()))}
        />
        <p className="mt-2 text-sm opacity-85">
          None at hand?{" "}
          <Link className="link" to="/templates/new">
            Seven questions write one
          </Link>
          .
        </p>
        {wrong.manifest !== undefined && <Trouble error={wrong.manifest} />}
        {begun && (
          <ul className="mt-2 list-disc pl-5">
            {begun.templates.map((t) => (
              <li key={t.name}>
                <b className="font-medium">{t.name}</b>
                {t.from !== "PodTemplate" && `, out of a ${t.from}`}: requests {t.request}; offers{" "}
                {t.offers.join(", ")}
                {t.given && " (it said nothing, and was given all that your jobs want)"}.
              </li>
            ))}
          </ul>
        )}
        {workload === "" && manifests.trim() !== "" && (
          <p className="mt-2 text-sm opacity-85">It is looked at once the jobs are there.</p>
        )}
      </section>

      <section id="nodes-step">
        <h2 className="mb-2 font-semibold text-lg">3. The nodes they run on</h2>
        {(clusters.data?.length ?? 0) > 0 && (
          <p className="mb-2">
            <label htmlFor="cluster">Cluster </label>
            <select
              id="cluster"
              className="select select-sm w-auto"
              value={cluster}
              onChange={(e) => setCluster(e.target.value)}
            >
              <option value="">one to begin with</option>
              {clusters.data?.map((n) => (
                <option key={n}>{n}</option>
              ))}
            </select>
          </p>
        )}
        {cluster === "" && (
          <div className="flex flex-wrap gap-x-4 gap-y-2">
            <Ask
              id="cpu"
              label="CPU of a node, cores"
              value={node.cpu}
              hint={begun?.cpu ?? "8"}
              set={(cpu) => setNode({ ...node, cpu })}
            />
            <Ask
              id="memory"
              label="memory of a node"
              value={node.memory}
              hint={begun?.memory ?? "32Gi"}
              set={(memory) => setNode({ ...node, memory })}
            />
            <Ask
              id="price"
              label="its price an hour"
              value={node.price}
              hint={begun?.price ?? "0.40"}
              set={(price) => setNode({ ...node, price })}
            />
            <Ask
              id="currency"
              label="currency"
              value={node.currency}
              hint="EUR"
              set={(currency) => setNode({ ...node, currency })}
            />
          </div>
        )}
        {begun && cluster === "" && (
          <div className="mt-2 text-sm">
            <p>
              {named
                ? "Assumed, until you measure it:"
                : "Assumed, until you say or measure it (all three fields above name a node):"}
            </p>
            <ul id="assumed" className="list-disc pl-5">
              {begun.assumed.map((a) => (
                <li key={a}>{a}</li>
              ))}
            </ul>
          </div>
        )}
      </section>

      {begun && begun.unmatched.length > 0 && (
        <Notice>
          <p>
            {count(begun.unmatched.length)} of the classes would wait for ever: no template offers what they
            want.
          </p>
          <ul className="list-disc pl-5 text-sm">
            {begun.unmatched.slice(0, 6).map((u) => (
              <li key={u}>{u}</li>
            ))}
          </ul>
        </Notice>
      )}
      {begun && begun.faults.length > 0 && (
        <Notice>
          <Faults list={begun.faults} />
        </Notice>
      )}
      {wrong.end !== undefined && <Trouble error={wrong.end} />}
      <div className="flex flex-wrap items-center gap-4 border-base-300 border-t pt-4">
        <button
          type="button"
          id="simulate"
          className="btn btn-primary"
          disabled={!begun || begun.faults.length > 0 || doing !== ""}
          onClick={simulate}
        >
          Simulate
        </button>
        <span role="status">{doing || needs(workload, known !== null, manifests, begun)}</span>
      </div>
    </div>
  );
}

/** What is still to be given, or what pressing the button does. */
function needs(workload: string, fresh: boolean, manifests: string, begun: Begun | null) {
  if (workload === "") return "A log of jobs is needed first.";
  if (manifests.trim() === "") return "A manifest is needed.";
  if (!begun) return "";
  const templates = begun.templates.map((t) => t.name).join(", ");
  return `Stores ${fresh ? `workload ${workload}, ` : ""}${templates} and scenario ${begun.scenario}, and runs it.`;
}

const OnLearn = () => (
  <Link className="link" to="/learn">
    Say what its columns mean
  </Link>
);

function Ask({
  id,
  label,
  value,
  hint,
  set,
}: {
  id: string;
  label: string;
  value: string;
  hint: string;
  set: (to: string) => void;
}) {
  return (
    <div className="w-40">
      <label htmlFor={id} className="block text-sm">
        {label}
      </label>
      <input
        id={id}
        className="input input-sm w-full"
        placeholder={hint}
        value={value}
        autoComplete="off"
        onChange={(e) => set(e.target.value.trim())}
      />
    </div>
  );
}
