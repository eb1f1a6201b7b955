import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Work } from "../api/client";
import { backtest, backtests } from "../api/queries/works";
import { PickScenario } from "../parts/PickScenario";
import { PickSource } from "../parts/PickSource";
import { PickWork } from "../parts/PickWork";
import { Notice, Trouble, Waiting } from "../parts/Section";
import { Underway } from "../parts/Underway";
import { useScenario } from "../parts/useScenario";
import { useShown } from "../parts/useShown";
import { Why } from "../parts/Why";
import { Answer } from "./backtest/Answer";
import { Nights } from "./backtest/Nights";

/** What a scenario's simulation predicts, held beside what happened. */
export function Backtest() {
  const { scenario, all, list, error, none } = useScenario("/backtest", "Backtest", backtests);
  const [id, choose] = useShown(list);
  if (error) return <Trouble error={error} />;
  if (none) {
    return (
      <Notice>
        There is no scenario yet to compare with what happened. Store one first:{" "}
        <code>tachyphor put my-design/</code>, or start with <code>tachyphor demo</code>.
      </Notice>
    );
  }
  if (!scenario || !all || !list) return <Waiting what="scenarios" />;
  return (
    <>
      <div className="mt-8 flex flex-wrap items-baseline justify-between gap-x-4">
        <h1 className="font-semibold text-2xl">Backtest</h1>
        <p className="text-sm opacity-80">what the simulation predicts, beside what happened</p>
      </div>
      <Ask
        key={scenario}
        scenario={scenario}
        scenarios={all.map((s) => s.name)}
        list={list}
        id={id}
        choose={choose}
      />
      <Nights key={`${scenario} is`} scenario={scenario} followed />
      {id > 0 ? (
        <Kept id={id} />
      ) : (
        <Notice>
          {scenario} has not been compared with what happened yet. Choose where its jobs come from and press{" "}
          <b>Compare</b>. The same on the command line, with a job log:{" "}
          <code>tachyphor backtest {scenario} --log export.csv</code>
        </Notice>
      )}
      <Nights key={`${scenario} not`} scenario={scenario} followed={false} />
    </>
  );
}

function Ask({
  scenario,
  scenarios,
  list,
  id,
  choose,
}: {
  scenario: string;
  scenarios: string[];
  list: Work[];
  id: number;
  choose: (id: number) => void;
}) {
  const queries = useQueryClient();
  const [live, setLive] = useState(true);
  const [asStored, setAsStored] = useState(false);
  const [error, setError] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const ask = async () => {
    setError(null);
    setBusy(true);
    try {
      const w = take(await api.POST("/api/v1/backtests", { body: { scenario, live, asStored } }));
      await queries.invalidateQueries({ queryKey: ["backtests", { scenario }] });
      choose(w.id);
    } catch (problem) {
      setError(problem);
    }
    setBusy(false);
  };
  return (
    <>
      <div className="mt-4 flex flex-wrap items-center gap-x-5 gap-y-2 text-sm">
        <PickScenario place="/backtest" scenario={scenario} names={scenarios} />
        <PickSource before="beside" live={live} set={setLive} />
        <label
          className="flex items-center gap-2"
          title="else all jobs under the newest revision of the scenario"
        >
          <input
            id="as-stored"
            type="checkbox"
            className="checkbox checkbox-sm"
            checked={asStored}
            onChange={(e) => setAsStored(e.target.checked)}
          />
          each job under the revision that was stored when it came
        </label>
        <button type="button" id="ask" className="btn btn-primary btn-sm" disabled={busy} onClick={ask}>
          {busy ? "Asking …" : "Compare"}
        </button>
        <PickWork list={list} id={id} choose={choose} />
      </div>
      {error !== null && <Trouble error={error} />}
    </>
  );
}

/** One backtest: how far it has come, or its answer. */
function Kept({ id }: { id: number }) {
  const found = useQuery(backtest(id));
  if (found.error) return <Trouble error={found.error} />;
  if (!found.data) return <Waiting what={`backtest ${id}`} />;
  const w = found.data;
  if (w.state === "failed") return <Trouble error={new Error(`The backtest failed: ${w.error}`)} />;
  if (w.state === "cancelled")
    return <Notice>The backtest was cancelled. Press Compare to begin again.</Notice>;
  if (!w.result) return <Underway key={id} first={w} queryKey="backtests" />;
  return (
    <>
      <Why work={{ kind: "backtests", id }} />
      <Answer id={id} b={w.result} />
    </>
  );
}
