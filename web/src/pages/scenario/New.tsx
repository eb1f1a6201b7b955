import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, take } from "../../api/client";
import { documentNames, scenarioText } from "../../api/queries/documents";
import { Notice, Trouble } from "../../parts/Section";
import { useAddress } from "../../parts/useAddress";
import { useTitle } from "../../parts/useTitle";
import { keepText } from "./useText";

const named = /^[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?$/;

/** A new scenario: of a copy, or of nothing. It is stored when its page says so. */
export function New() {
  useTitle("New scenario");
  const { query, change } = useAddress();
  const from = query.get("from") ?? "";
  const [name, setName] = useState("");
  const [cluster, setCluster] = useState("");
  const [workload, setWorkload] = useState("");
  const [picked, setPicked] = useState<string[]>([]);
  const original = useQuery({ ...scenarioText(from), enabled: from !== "" });
  const clusters = useQuery(documentNames("Cluster"));
  const workloads = useQuery(documentNames("Workload"));
  const templates = useQuery(documentNames("PodTemplate"));
  const taken = useQuery(documentNames("Scenario"));
  const [error, setError] = useState<unknown>(null);
  const go = useNavigate();
  const on = cluster || clusters.data?.[0] || "";
  const of = workload || workloads.data?.[0] || "";
  const all = templates.data ?? [];
  const use = picked;
  const exists = taken.data?.includes(name);
  const ready =
    named.test(name) &&
    !exists &&
    (from !== "" ? original.data !== undefined : on !== "" && of !== "" && use.length > 0);
  const missing = [
    clusters.data?.length === 0 && "a cluster",
    workloads.data?.length === 0 && "a workload",
    templates.data?.length === 0 && "a template",
  ].filter((x) => x);
  const begin = async (e: FormEvent) => {
    e.preventDefault();
    if (!ready) return;
    try {
      let text = fresh(name, on, of, use);
      if (original.data && from !== "") {
        const made = await api.POST("/api/v1/scenarios/{name}/text", {
          params: { path: { name } },
          body: {
            text: original.data.text,
            edits: [{ op: "replace", path: "/metadata/name", value: name }],
          },
        });
        text = take(made).text;
      }
      keepText(name, { base: 0, text });
      go(`/scenarios/${name}`);
    } catch (problem) {
      setError(problem);
    }
  };
  return (
    <form onSubmit={begin} className="mt-8 max-w-2xl space-y-5">
      <h1 className="font-semibold text-2xl">New scenario</h1>
      <div>
        <label htmlFor="name" className="block font-medium">
          Its name
        </label>
        <input
          id="name"
          className="input w-full max-w-md"
          value={name}
          autoComplete="off"
          aria-describedby="name-says"
          onChange={(e) => setName(e.target.value.trim())}
        />
        <p id="name-says" className="text-sm opacity-85">
          {exists
            ? "There is a scenario of that name."
            : name !== "" && !named.test(name)
              ? "Lower-case letters, digits and -, at most 63, beginning and ending with a letter or digit."
              : "As in weekday-lean: lower-case letters, digits and -."}
        </p>
      </div>
      <fieldset className="space-y-1">
        <legend className="font-medium">Begun from</legend>
        <label className="flex items-center gap-2">
          <input
            type="radio"
            name="from"
            id="from-copy"
            className="radio radio-sm"
            checked={from !== ""}
            onChange={() => {
              const first = taken.data?.[0];
              if (first) change({ from: first });
            }}
            disabled={taken.data?.length === 0}
          />
          a copy of another scenario
        </label>
        {from !== "" && (
          <div className="pl-7">
            <select
              id="original"
              aria-label="Scenario to copy"
              className="select select-sm w-auto max-w-full"
              value={from}
              onChange={(e) => change({ from: e.target.value })}
            >
              {(taken.data?.includes(from) ? taken.data : [from, ...(taken.data ?? [])]).map((s) => (
                <option key={s}>{s}</option>
              ))}
            </select>
          </div>
        )}
        <label className="flex items-center gap-2">
          <input
            type="radio"
            name="from"
            id="from-nothing"
            className="radio radio-sm"
            checked={from === ""}
            onChange={() => change({ from: "" })}
          />
          nothing: a cluster, a workload, and templates
        </label>
      </fieldset>
      {from !== "" && original.error && <Trouble error={original.error} />}
      {from === "" && missing.length > 0 && (
        <Notice>
          There is not yet {missing.join(", nor ")} to try a design on.{" "}
          <Link className="link" to="/start">
            Begin with your jobs and a manifest
          </Link>
          .
        </Notice>
      )}
      {from === "" && missing.length === 0 && (
        <div className="grid gap-4 sm:grid-cols-2">
          <Pick id="cluster" label="Cluster" list={clusters.data ?? []} value={on} pick={setCluster} />
          <Pick id="workload" label="Workload" list={workloads.data ?? []} value={of} pick={setWorkload} />
          <fieldset className="sm:col-span-2">
            <legend className="font-medium">Templates, in order of preference</legend>
            <div className="max-h-64 overflow-y-auto">
              {all.map((t) => (
                <label key={t} className="flex items-center gap-2">
                  <input
                    type="checkbox"
                    value={t}
                    className="checkbox checkbox-sm"
                    checked={use.includes(t)}
                    onChange={(e) =>
                      setPicked(e.target.checked ? [...use, t] : use.filter((other) => other !== t))
                    }
                  />
                  {t}
                  {use.includes(t) && <span className="text-sm opacity-75">{use.indexOf(t) + 1}</span>}
                </label>
              ))}
            </div>
          </fieldset>
        </div>
      )}
      {error !== null && <Trouble error={error} />}
      <button type="submit" id="begin" className="btn btn-primary" disabled={!ready}>
        Begin
      </button>
      <p className="text-sm opacity-85">
        Nothing is stored yet: its page shows all fields, and what one run says of them; store it there.
      </p>
    </form>
  );
}

function Pick({
  id,
  label,
  list,
  value,
  pick,
}: {
  id: string;
  label: string;
  list: string[];
  value: string;
  pick: (to: string) => void;
}) {
  return (
    <div>
      <label htmlFor={id} className="block font-medium">
        {label}
      </label>
      <select id={id} className="select w-full" value={value} onChange={(e) => pick(e.target.value)}>
        {list.map((n) => (
          <option key={n}>{n}</option>
        ))}
      </select>
    </div>
  );
}

const fresh = (name: string, cluster: string, workload: string, templates: string[]) =>
  [
    "apiVersion: tachyphor/v1",
    "kind: Scenario",
    "metadata:",
    `  name: ${name}`,
    "spec:",
    `  cluster: ${cluster}`,
    `  workload: ${workload}`,
    "  templates:",
    ...templates.map((t) => `  - template: ${t}`),
    "",
  ].join("\n");
