import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schemas, take, type Work } from "../../api/client";
import { PickScenario } from "../../parts/PickScenario";
import { Trouble } from "../../parts/Section";

type Quantity = NonNullable<Schemas["Ask"]["x"]>;

const quantities: [Quantity, string][] = [
  ["up", "upload"],
  ["down", "download"],
  ["pack", "packing"],
  ["size", "archive size"],
  ["change", "share of builds that change dependencies"],
  ["per-day", "builds a day"],
  ["cold", "cold work"],
];

/** What to weigh, and the button that does. */
export function Ask({
  scenario,
  scenarios,
  last,
  asked,
}: {
  scenario: string;
  scenarios: string[];
  last?: Work;
  asked: (w: Work) => void;
}) {
  const queries = useQueryClient();
  const [hour, setHour] = useState(last?.weighing?.ask.perHour?.replace("/h", "") ?? "");
  const [x, setX] = useState<Quantity>(last?.weighing?.ask.x ?? "up");
  const [y, setY] = useState<Quantity>(last?.weighing?.ask.y ?? "change");
  const [error, setError] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const weigh = async () => {
    setError(null);
    setBusy(true);
    try {
      const perHour = hour.trim() ? `${hour.trim()}/h` : undefined;
      const w = take(
        await api.POST("/api/v1/weighings", {
          body: {
            scenario,
            perHour,
            class: last?.weighing?.ask.class,
            x,
            y,
          },
        }),
      );
      await queries.invalidateQueries({ queryKey: ["weighings", { scenario }] });
      asked(w);
    } catch (problem) {
      setError(problem);
    }
    setBusy(false);
  };
  const pick = (id: string, name: string, value: Quantity, set: (v: Quantity) => void) => (
    <label className="flex items-center gap-2">
      {name}
      <select
        id={id}
        className="select select-sm w-auto"
        value={value}
        onChange={(e) => set(e.target.value as Quantity)}
      >
        {quantities.map(([key, label]) => (
          <option key={key} value={key}>
            {label}
          </option>
        ))}
      </select>
    </label>
  );
  return (
    <>
      <div className="mt-4 flex flex-wrap items-center gap-x-5 gap-y-2 text-sm">
        <PickScenario place="/caching" scenario={scenario} names={scenarios} />
        <label
          className="flex items-center gap-2"
          title="what an hour of someone waiting for a build is worth"
        >
          an hour of waiting is worth
          <input
            id="hour"
            className="input input-sm w-24 text-right"
            inputMode="decimal"
            placeholder="its own"
            value={hour}
            onChange={(e) => setHour(e.target.value)}
          />
        </label>
        {pick("x", "map:", x, setX)}
        {pick("y", "by", y, setY)}
        <button type="button" id="weigh" className="btn btn-primary btn-sm" disabled={busy} onClick={weigh}>
          {busy ? "Asking …" : "Weigh"}
        </button>
      </div>
      {error !== null && <Trouble error={error} />}
    </>
  );
}
