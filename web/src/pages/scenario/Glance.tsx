import { useEffect, useRef, useState } from "react";
import { api, Problem, type Schemas, take } from "../../api/client";
import { Legend, onlyDelay, Ribbon } from "../../parts/Ribbon";
import { count, duration, money } from "../../words";

type Seen = Schemas["Glance"];
type Gist = Schemas["Gist"];

/** What one run says of the text while it is changed, beside the same run of what is stored. */
export function Glance({
  name,
  text,
  ready,
  wanted,
}: {
  name: string;
  text: string;
  ready: boolean;
  /** Whether it says something that the last outcome does not. */
  wanted: boolean;
}) {
  const [seen, setSeen] = useState<Seen | null>(null);
  const [wrong, setWrong] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const asked = useRef<AbortController | null>(null);
  useEffect(() => {
    asked.current?.abort();
    if (!ready || !wanted) return;
    const mine = new AbortController();
    asked.current = mine;
    const later = setTimeout(async () => {
      setBusy(true);
      try {
        const g = take(
          await api.POST("/api/v1/scenarios/{name}/glance", {
            params: { path: { name } },
            body: { text },
            signal: mine.signal,
          }),
        );
        setSeen(g);
        setWrong(null);
      } catch (problem) {
        if (mine.signal.aborted) return;
        setWrong(problem instanceof Problem ? (problem.reasons[0] ?? problem.message) : String(problem));
      }
      if (!mine.signal.aborted) setBusy(false);
    }, 120);
    return () => {
      clearTimeout(later);
      mine.abort();
    };
  }, [name, ready, text, wanted]);
  const whole = Math.max(seen?.now.meanDelayNs ?? 0, seen?.was?.meanDelayNs ?? 0, 1);
  const both = [seen?.now, seen?.was]
    .flatMap((g) => (g ? [onlyDelay(g.ribbonNs)] : []))
    .reduce<number[]>((all, r) => r.map((x, i) => Math.max(x, all[i] ?? 0)), []);
  return (
    <section
      id="glance"
      aria-label="One run of what is written here"
      aria-busy={busy}
      className="border-base-300 border-y py-3"
    >
      <div className="flex items-baseline justify-between gap-2">
        <h2 className="font-semibold">At a glance</h2>
        <span className="text-sm opacity-80">
          {busy ? "running …" : seen && wanted ? `one run, ${seen.tookMs.toFixed(0)} ms, not stored` : ""}
        </span>
      </div>
      {wrong && <p className="text-sm text-warning">{wrong}</p>}
      {seen && ready && wanted && (
        <div className={wrong ? "opacity-60" : ""}>
          <Line label={seen.was ? "now" : ""} g={seen.now} whole={whole} than={seen.was} />
          {seen.was && <Line label="as stored" g={seen.was} whole={whole} />}
          <div className="mt-2">
            <Legend ns={both} times={false} />
          </div>
          <p className="mt-2 text-sm opacity-80">
            One run tells a direction, not how sure it is: Simulate runs all repeats.
          </p>
        </div>
      )}
      {ready && !wanted && (
        <p className="text-sm opacity-80">Change something, and one run of it is shown here at once.</p>
      )}
      {!ready && <p className="text-sm opacity-80">It is run once nothing is wrong with the document.</p>}
    </section>
  );
}

const share = (now: number, was: number) => {
  const by = was > 0 ? (now - was) / was : 0;
  return Math.abs(by) < 0.005
    ? "as before"
    : `${by > 0 ? "+" : "−"}${Math.abs(by * 100).toFixed(Math.abs(by) < 0.1 ? 1 : 0)} %`;
};

function Line({ label, g, whole, than }: { label: string; g: Gist; whole: number; than?: Gist }) {
  return (
    <div className="mt-2">
      <p className="text-sm tabular-nums">
        {label && <b className="mr-2">{label}</b>}
        {g.started > 0 ? (
          <>
            95 % start within{" "}
            <b>{g.p95DelayNs === undefined ? "– (too few jobs)" : duration(g.p95DelayNs)}</b>
            {than?.p95DelayNs !== undefined && g.p95DelayNs !== undefined && (
              <> ({share(g.p95DelayNs, than.p95DelayNs)})</>
            )}
          </>
        ) : (
          <b>{g.jobs === 0 ? "There are no jobs" : "No job starts"}</b>
        )}
        , <b>{money(g.costPerMonth, g.currency)}</b> a month
        {than && <> ({share(g.costPerMonth, than.costPerMonth)})</>}
        {g.wrong >= 0.5 && (
          <>
            , <b className="text-error">{count(Math.round(g.wrong))}</b> of {count(Math.round(g.jobs))} jobs
            go wrong for good
          </>
        )}
      </p>
      {g.judged && <p className={`text-sm ${g.aims === "missed" ? "text-error" : ""}`}>{g.judged}</p>}
      <Ribbon
        ns={onlyDelay(g.ribbonNs)}
        whole={whole}
        label={`${label || "now"}: mean start delay ${duration(g.meanDelayNs)}`}
      />
    </div>
  );
}
