import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schemas, take, type Work } from "../../api/client";
import { demand, scenario as document, documentNames } from "../../api/queries/documents";
import { connections } from "../../api/queries/service";
import { Aims } from "../../parts/Aims";
import { PickScenario } from "../../parts/PickScenario";
import { Trouble } from "../../parts/Section";
import { here } from "../../words";
import { Across } from "./Across";

type Least = NonNullable<Schemas["Explore"]["least"]>;

const leasts: [Least, string][] = [
  ["bill", "the bill"],
  ["delay", "the start delay"],
  ["lead", "the lead time"],
  ["worth", "bill and waiting together"],
];

/** What may change, what must be kept, and the button that explores. */
export function Ask({
  scenario,
  scenarios,
  earlier,
  shown,
  show,
  asked,
}: {
  scenario: string;
  scenarios: Schemas["ScenarioBrief"][];
  earlier: Work[];
  shown?: Work;
  show: (w: Work) => void;
  asked: (w: Work) => void;
}) {
  const queries = useQueryClient();
  const last = shown?.exploration;
  const [sweep, setSweep] = useState(last && !last.own ? last.sweep : "");
  const design = useQuery({ ...document(scenario), enabled: scenario !== "" });
  // Until somebody changes them: what was asked last, what the scenario must keep, or what many want.
  const [own, setAims] = useState<string[] | null>(last ? (last.own ? last.aims : []) : null);
  const its = design.data?.spec.aims ?? [];
  const aims = own ?? (sweep ? [] : its.length > 0 ? its : ["95 % of all jobs start within 60s"]);
  const [least, setLeast] = useState<Least>((last?.least as Least) ?? "bill");
  const [error, setError] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const workload = scenarios.find((s) => s.name === scenario)?.workload ?? "";
  const jobs = useQuery({ ...demand(workload), enabled: workload !== "" });
  const stored = useQuery(documentNames("Sweep"));
  const all = useQuery(documentNames("Workload"));
  const [across, setAcross] = useState<string[]>([]);
  const places = useQuery(connections);
  const clusters = places.data?.shards ? places.data.contexts : [];
  const [context, setContext] = useState("");
  const explore = async () => {
    setError(null);
    setBusy(true);
    try {
      const which = sweep ? { sweep } : { scenario };
      const w = take(
        await api.POST("/api/v1/explorations", {
          body: { ...which, aims, least, across, ...(context && { on: { context } }) },
        }),
      );
      await queries.invalidateQueries({ queryKey: ["explorations"] });
      asked(w);
    } catch (problem) {
      setError(problem);
    }
    setBusy(false);
  };
  return (
    <>
      <div className="mt-4 flex flex-wrap items-center gap-x-5 gap-y-2 text-sm">
        <PickScenario place="/frontier" scenario={scenario} names={scenarios.map((s) => s.name)} />
        <label className="flex items-center gap-2">
          what may change
          <select
            id="sweep"
            className="select select-sm w-auto max-w-60"
            value={sweep}
            onChange={(e) => setSweep(e.target.value)}
          >
            <option value="">its own numbers</option>
            {stored.data?.map((name) => (
              <option key={name} value={name}>
                the sweep {name}
              </option>
            ))}
          </select>
        </label>
        <label className="flex items-center gap-2">
          with the least of
          <select
            id="least"
            className="select select-sm w-auto"
            value={least}
            onChange={(e) => setLeast(e.target.value as Least)}
          >
            {leasts.map(([key, says]) => (
              <option key={key} value={key}>
                {says}
              </option>
            ))}
          </select>
        </label>
        {clusters.length > 0 && (
          <label className="flex items-center gap-2">
            computed by
            <select
              id="on"
              className="select select-sm w-auto max-w-60"
              value={context}
              onChange={(e) => setContext(e.target.value)}
            >
              <option value="">the service</option>
              {clusters.map((name) => (
                <option key={name} value={name}>
                  pods of {name}
                </option>
              ))}
            </select>
          </label>
        )}
        {earlier.length > 1 && (
          <label className="flex items-center gap-2">
            shown
            <select
              id="earlier"
              className="select select-sm w-auto max-w-72"
              value={shown?.id}
              onChange={(e) => {
                const w = earlier.find((x) => x.id === Number(e.target.value));
                if (w) show(w);
              }}
            >
              {earlier.map((w) => (
                <option key={w.id} value={w.id}>
                  {w.id}, {here(w.asked)}: {w.exploration?.own ? "its own numbers" : w.exploration?.sweep}
                </option>
              ))}
            </select>
          </label>
        )}
      </div>
      <Aims
        list={aims}
        classes={jobs.data?.classes.map((c) => c.name) ?? []}
        none={
          sweep
            ? "what the sweep says, and nothing beside it; where it says nothing, the aims of the scenario"
            : its.length > 0
              ? `nothing else than the scenario's own: ${its.join("; ")}`
              : "nothing yet: without an aim the cheapest wins, however long jobs wait"
        }
        set={setAims}
      />
      {(all.data?.length ?? 0) > 1 && (
        <Across
          list={all.data ?? []}
          chosen={across}
          set={setAcross}
          none={sweep ? "what the sweep says" : `${workload || "the scenario's own workload"} alone`}
        />
      )}
      <div className="mt-3 flex flex-wrap items-center gap-3 text-sm">
        <button
          type="button"
          id="explore"
          className="btn btn-primary btn-sm"
          disabled={busy}
          onClick={explore}
        >
          {busy ? "Asking …" : "Explore"}
        </button>
      </div>
      {error !== null && <Trouble error={error} />}
    </>
  );
}
