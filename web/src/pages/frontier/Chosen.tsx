import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, type Schemas, take } from "../../api/client";
import { variant } from "../../api/queries/works";
import { Diff } from "../../parts/Diff";
import { Section, Trouble } from "../../parts/Section";
import { verdictInk } from "../../parts/verdictInk";
import { Asked } from "../../parts/Why";
import { duration, money, plusMinus, signed } from "../../words";
import { type Answer, reads, type Variant } from "./verdict";

type Figure = Schemas["Figure"];

/** One variant: what it has otherwise, what it would do, and the ways to keep it. */
export function Chosen({ id, a, n, v }: { id: number; a: Answer; n: number; v: Variant }) {
  const now = a.variants[0] ?? v;
  const fresh = n === a.best ? a.confirmed : undefined;
  const [mine, today] = fresh ? [fresh.best, fresh.today] : [v, now];
  const cash = (x: number) => money(x, a.currency);
  const [whose, its] = fresh ? ["recommended", "today"] : [`variant/${n}`, "variant/0"];
  const line = (
    name: string,
    figure: string,
    of: (m: Schemas["Measures"]) => Figure,
    say: (x: number) => string,
    by = 1,
  ) => {
    const [x, y] = [of(mine), of(today)];
    const diff = (x.mean - y.mean) * by;
    return (
      <tr>
        <th scope="row" className="font-normal">
          {name}
        </th>
        <td className="text-right tabular-nums">
          <Asked of={`${whose}/${figure}`}>{say(x.mean * by)}</Asked>{" "}
          <span className="opacity-70">{by === 1 && plusMinus(x, say)}</span>
        </td>
        <td className="text-right tabular-nums">
          {n === 0 ? "–" : <Asked of={`${its}/${figure}`}>{say(y.mean * by)}</Asked>}
        </td>
        <td className="text-right tabular-nums">{n === 0 || diff === 0 ? "–" : signed(diff, say)}</td>
      </tr>
    );
  };
  return (
    <Section
      id="chosen"
      title={n === a.best ? "Recommended" : n === 0 ? "As it is" : "This variant"}
      aside={
        fresh
          ? `on ${fresh.repeats} draws that took no part in choosing`
          : `${v.runs} repeats${v.out ? `; then ${v.out}` : ""}`
      }
    >
      {v.settings.length > 0 ? (
        <ul className="flex flex-wrap gap-x-6 gap-y-1">
          {v.settings.map((s) => (
            <li key={s.knob}>
              <b>{s.knob}</b> {s.is} <span className="opacity-80">(today {s.was})</span>
            </li>
          ))}
        </ul>
      ) : (
        <p>The scenario {a.scenario} as it is.</p>
      )}
      <div className="mt-3 grid gap-x-10 gap-y-4 md:grid-cols-2">
        <div className="overflow-x-auto">
          <table className="table table-sm">
            <thead className="text-base-content">
              <tr>
                <th />
                <th className="text-right">then</th>
                <th className="text-right">today</th>
                <th className="text-right">difference</th>
              </tr>
            </thead>
            <tbody>
              {line("95 % start within", "delay", (m) => m.delayP95Ns, duration)}
              {line("mean lead time", "lead", (m) => m.leadNs, duration)}
              {line("a month", "bill", (m) => m.billPerMonth, cash)}
              {line("a year", "bill", (m) => m.billPerMonth, cash, 12)}
            </tbody>
          </table>
        </div>
        {a.aims.length > 0 && (
          <ol className="list-inside list-decimal space-y-1 self-start text-sm">
            {a.aims.map((x, i) => {
              const r = mine.aims[i];
              return (
                r && (
                  <li key={x.says}>
                    {x.says}: <span className={verdictInk(r.verdict)}>{r.verdict}</span>{" "}
                    <span className="opacity-80">
                      (<Asked of={`${whose}/aim/${i + 1}`}>{reads(x, r, a.currency)}</Asked>)
                    </span>
                  </li>
                )
              );
            })}
          </ol>
        )}
      </div>
      <Keep id={id} n={n} scenario={a.scenario} same={v.settings.length === 0} />
    </Section>
  );
}

/** Ways to go on with a variant: see all of it, what it changes, make it a scenario. */
function Keep({ id, n, scenario, same }: { id: number; n: number; scenario: string; same: boolean }) {
  const go = useNavigate();
  const queries = useQueryClient();
  const [name, setName] = useState(`${scenario}-better`);
  const [made, setMade] = useState<Schemas["StoredList"] | null>(null);
  const [open, setOpen] = useState(false);
  const [error, setError] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const found = useQuery({ ...variant(id, n), enabled: open });
  const path = { id, variant: n };
  const attempt = async (what: () => Promise<void>) => {
    setError(null);
    setBusy(true);
    try {
      await what();
    } catch (problem) {
      setError(problem);
    }
    setBusy(false);
  };
  const simulate = () =>
    attempt(async () => {
      const w = take(
        await api.POST("/api/v1/explorations/{id}/variants/{variant}/outcome", { params: { path } }),
      );
      go(`/outcomes/${w.id}`);
    });
  const make = () =>
    attempt(async () => {
      const list = take(
        await api.POST("/api/v1/explorations/{id}/variants/{variant}/scenario", {
          params: { path },
          body: { name },
        }),
      );
      await queries.invalidateQueries({ queryKey: ["scenarios"] });
      setMade(list);
    });
  return (
    <div className="mt-4">
      <div className="flex flex-wrap items-center gap-3">
        <button type="button" id="open-variant" className="btn btn-sm" disabled={busy} onClick={simulate}>
          See it as an outcome
        </button>
        {!same && (
          <>
            <button
              type="button"
              id="difference"
              className="btn btn-sm"
              aria-expanded={open}
              onClick={() => setOpen(!open)}
            >
              {open ? "Hide the difference" : "Show the difference"}
            </button>
            <label className="flex items-center gap-2 text-sm">
              name
              <input
                id="own-name"
                className="input input-sm w-52"
                value={name}
                maxLength={63}
                onChange={(e) => setName(e.target.value)}
              />
            </label>
            <button
              type="button"
              id="make"
              className="btn btn-primary btn-sm"
              disabled={busy || name.trim() === ""}
              onClick={make}
            >
              Make it a scenario
            </button>
          </>
        )}
      </div>
      {error !== null && <Trouble error={error} />}
      {made && (
        <p className="mt-3" role="status">
          Stored: {made.items.map((d) => `${d.kind} ${d.name}`).join(", ")}.{" "}
          <Link className="link link-primary" to={`/scenarios/${name}`}>
            Look at it, and simulate it
          </Link>
        </p>
      )}
      {open && found.error && <Trouble error={found.error} />}
      {open && found.data && (
        <div className="mt-3">
          <Diff text={found.data.diff} />
        </div>
      )}
    </div>
  );
}
