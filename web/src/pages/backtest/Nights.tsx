import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useMemo, useState } from "react";
import { api, take } from "../../api/client";
import { followedDays } from "../../api/queries/live";
import { Notice, Section, Trouble } from "../../parts/Section";
import { useAttempt } from "../../parts/useAttempt";
import { bound, count } from "../../words";

const NightLines = lazy(() => import("./NightLines"));

const trail = (of: string, p: number) => `${p} ${of}`;

/** Every day of the live records, held against the scenario, where it is followed; or, where it is not, the way to begin
 *  with that: each at its place. */
export function Nights({ scenario, followed }: { scenario: string; followed: boolean }) {
  const found = useQuery(followedDays(scenario));
  const { attempt: change, error } = useAttempt("followed");
  const [from, setFrom] = useState("");
  const [picked, setPicked] = useState("");
  const f = found.data;
  const trails = useMemo(() => {
    const seen = new Map<string, string>();
    for (const d of f?.days ?? [])
      for (const x of d.looked) seen.set(trail(x.of, x.p), `${x.of || "all jobs"}, ${x.p} % start within`);
    return [...seen];
  }, [f]);
  const drifted = f?.standing.drifted;
  const first = drifted ? trail(drifted.of, drifted.p) : (trails[0]?.[0] ?? "");
  const chosen = trails.some(([key]) => key === picked) ? picked : first;
  const days = useMemo(() => {
    const all = (f?.days ?? []).map((d) => ({
      day: d.day,
      looked: d.looked.find((x) => trail(x.of, x.p) === chosen),
    }));
    // Days before the first and after the last with such jobs say nothing.
    const has = all.map((d) => d.looked !== undefined);
    return all.slice(Math.max(0, has.indexOf(true)), has.lastIndexOf(true) + 1);
  }, [f, chosen]);
  const path = { params: { path: { scenario } } };
  if (found.error) return followed ? <Trouble error={found.error} /> : null;
  if (f === undefined || (f !== null) !== followed) return null;
  if (f === null) {
    return (
      <Section id="nights" title="Night by night" aside="every day of the live records">
        <p className="max-w-4xl">
          The service can compare every day of the live records with {scenario}, night after night, and report
          when they depart from what it predicts for longer than chance explains. The same on the command
          line: <code>tachyphor drift follow {scenario}</code>
        </p>
        <p className="mt-3 flex flex-wrap items-center gap-4 text-sm">
          <label className="flex items-center gap-2" title="default: yesterday">
            from
            <input
              id="follow-from"
              type="date"
              className="input input-sm w-auto"
              value={from}
              onChange={(e) => setFrom(e.target.value)}
            />
          </label>
          <button
            type="button"
            id="follow"
            className="btn btn-primary btn-sm"
            onClick={() =>
              change(async () =>
                take(
                  await api.PUT("/api/v1/drift/{scenario}", { ...path, body: { from: from || undefined } }),
                ),
              )
            }
          >
            Follow it
          </button>
        </p>
        {error !== null && <Trouble error={error} />}
      </Section>
    );
  }
  return (
    <Section
      id="nights"
      title="Night by night"
      aside={
        <span className="flex flex-wrap items-center gap-3">
          followed from {f.from}
          <button
            type="button"
            id="leave"
            className="btn btn-sm"
            onClick={() => change(async () => take(await api.DELETE("/api/v1/drift/{scenario}", path)))}
          >
            Stop following
          </button>
        </span>
      }
    >
      {f.trouble && <Notice>No more days can be looked at: {f.trouble}</Notice>}
      <p id="standing" className={`max-w-4xl ${drifted ? "border-warning border-l-4 pl-3" : ""}`}>
        {bound(f.says)}
      </p>
      <p className="mt-1 max-w-4xl text-sm opacity-80">
        {count(f.standing.days)} days with enough jobs; evidence{" "}
        {f.standing.evidence < 10 ? f.standing.evidence.toFixed(1) : count(f.standing.evidence)}, which counts
        as drift from 1,000 on: a simulation that is right comes to that at most once in 1,000 days.
      </p>
      {error !== null && <Trouble error={error} />}
      {days.length > 0 && (
        <>
          <label className="mt-3 flex items-center gap-2 text-sm">
            shown
            <select
              id="trail"
              className="select select-sm w-auto"
              value={chosen}
              onChange={(e) => setPicked(e.target.value)}
            >
              {trails.map(([key, says]) => (
                <option key={key} value={key}>
                  {says}
                </option>
              ))}
            </select>
          </label>
          <Suspense>
            <NightLines days={days} label={`${chosen}, day by day, beside what is usual`} />
          </Suspense>
        </>
      )}
    </Section>
  );
}
