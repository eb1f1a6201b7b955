import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Work } from "../api/client";
import { forecast, forecasts } from "../api/queries/works";
import { PickScenario } from "../parts/PickScenario";
import { PickSource } from "../parts/PickSource";
import { PickWork } from "../parts/PickWork";
import { Notice, Trouble, Waiting } from "../parts/Section";
import { Underway } from "../parts/Underway";
import { useScenario } from "../parts/useScenario";
import { useShown } from "../parts/useShown";
import { Why } from "../parts/Why";
import { Answer } from "./forecast/Answer";

/** What to expect of a week to come. */
export function Forecast() {
  const { scenario, all, list, error, none } = useScenario("/ahead", "Week ahead", forecasts);
  const [id, choose] = useShown(list);
  if (error) return <Trouble error={error} />;
  if (none) {
    return (
      <Notice>
        There is no scenario yet to forecast with. Store one first: <code>tachyphor put my-design/</code>, or
        start with <code>tachyphor demo</code>.
      </Notice>
    );
  }
  if (!scenario || !all || !list) return <Waiting what="scenarios" />;
  return (
    <>
      <div className="mt-8 flex flex-wrap items-baseline justify-between gap-x-4">
        <h1 className="font-semibold text-2xl">Week ahead</h1>
        <p className="text-sm opacity-80">how many jobs, when queues are long, what it costs</p>
      </div>
      <Ask
        key={scenario}
        scenario={scenario}
        scenarios={all.map((s) => s.name)}
        list={list}
        id={id}
        choose={choose}
      />
      {id > 0 ? (
        <Kept id={id} />
      ) : (
        <Notice>
          No week has been forecast with {scenario} yet. It takes one whole week of records, from Monday on.
          Of scenarios that are followed (<code>tachyphor drift follow {scenario}</code>) it is made every
          Monday.
        </Notice>
      )}
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
  const [week, setWeek] = useState("");
  const [error, setError] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const ask = async () => {
    setError(null);
    setBusy(true);
    try {
      const w = take(
        await api.POST("/api/v1/forecasts", { body: { scenario, live, week: week || undefined } }),
      );
      await queries.invalidateQueries({ queryKey: ["forecasts", { scenario }] });
      choose(w.id);
    } catch (problem) {
      setError(problem);
    }
    setBusy(false);
  };
  return (
    <>
      <div className="mt-4 flex flex-wrap items-center gap-x-5 gap-y-2 text-sm">
        <PickScenario place="/ahead" scenario={scenario} names={scenarios} />
        <PickSource before="by" live={live} set={setLive} />
        <label
          className="flex items-center gap-2"
          title="a day of it; default: this week until Wednesday, then the next. Of one that is over it is said how far it came true"
        >
          week of
          <input
            id="week"
            type="date"
            className="input input-sm w-auto"
            value={week}
            onChange={(e) => setWeek(e.target.value)}
          />
        </label>
        <button type="button" id="ask" className="btn btn-primary btn-sm" disabled={busy} onClick={ask}>
          {busy ? "Asking …" : "Look ahead"}
        </button>
        <PickWork
          list={list}
          id={id}
          choose={choose}
          note={(w) => (w.forecast?.came ? ", with what came" : "")}
        />
      </div>
      {error !== null && <Trouble error={error} />}
    </>
  );
}

/** One forecast: how far it has come, or its answer. */
function Kept({ id }: { id: number }) {
  const found = useQuery(forecast(id));
  if (found.error) return <Trouble error={found.error} />;
  if (!found.data) return <Waiting what={`forecast ${id}`} />;
  const w = found.data;
  if (w.state === "failed") return <Trouble error={new Error(`The forecast failed: ${w.error}`)} />;
  if (w.state === "cancelled")
    return <Notice>The forecast was cancelled. Press Look ahead to begin again.</Notice>;
  if (!w.result) return <Underway key={id} first={w} queryKey="forecasts" />;
  return (
    <>
      <Why work={{ kind: "forecasts", id }} />
      <Answer f={w.result} />
    </>
  );
}
