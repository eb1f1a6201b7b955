import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import type { Schemas, Work } from "../api/client";
import { type ScenariosAsked, scenarioPages } from "../api/queries/documents";
import { followed } from "../api/queries/live";
import { outcomes } from "../api/queries/outcomes";
import { forecasts } from "../api/queries/works";
import { DataTable } from "../parts/DataTable";
import { ListedFigure, outcomeColumns, Verdict } from "../parts/outcomeColumns";
import { Look, More } from "../parts/Paged";
import { Legend, onlyDelay, Ribbon } from "../parts/Ribbon";
import { Section, Trouble, Waiting } from "../parts/Section";
import { scaleOf } from "../parts/scale";
import { useAsked } from "../parts/useAsked";
import { useTitle } from "../parts/useTitle";
import { Why } from "../parts/Why";
import { bound, count, day, duration } from "../words";
import { Path } from "./desk/Path";

type Brief = Schemas["ScenarioBrief"];

/** Scenarios with what became of them, and what to do next. */
export function Desk() {
  useTitle("Desk");
  const { by, down, text, order, look } = useAsked<NonNullable<ScenariosAsked["by"]>>("name");
  const list = useInfiniteQuery(scenarioPages({ by, down, text: text || undefined }));
  const recent = useQuery(outcomes());
  const [picked, setPicked] = useState<number[]>([]);
  const go = useNavigate();
  if (list.error) return <Trouble error={list.error} />;
  if (!list.data) return <Waiting what="scenarios" />;
  const items = list.data.pages.flatMap((p) => p.items);
  const all = list.data.pages[0]?.all ?? 0;
  if (all === 0 && text === "") return <First />;
  const names = items.map((s) => s.name);
  const scale = scaleOf(items.map((s) => s.last?.simulation?.summary?.meanDelayNs ?? 0));
  const ribbon = (s: Brief) => onlyDelay(s.last?.simulation?.summary?.ribbonNs ?? []);
  const widest = items
    .map(ribbon)
    .reduce<number[]>((all, r) => r.map((x, i) => Math.max(x, all[i] ?? 0)), []);
  const pick = (id: number, on: boolean) => setPicked(on ? [...picked, id] : picked.filter((p) => p !== id));
  return (
    <>
      <Why />
      <Path names={names} />
      <Section
        title="Scenarios"
        aside={
          <span className="flex flex-wrap items-center gap-3">
            <Link id="new" className="link" to="/new">
              New scenario
            </Link>
            <button
              type="button"
              className="btn btn-sm"
              disabled={picked.length < 2 || picked.length > 6}
              onClick={() => go(`/compare?ids=${picked.join(",")}`)}
            >
              Compare {picked.length > 0 ? picked.length : ""} picked
            </button>
          </span>
        }
      >
        <Look id="scenario-text" label="in its name" text={text} all={all} look={look} />
        <DataTable<Brief>
          name="scenarios"
          order={order}
          rows={items}
          rowKey={(s) => s.name}
          columns={[
            {
              title: "scenario",
              order: "name",
              value: (s) => s.name,
              show: (s) => (
                <div className="flex items-start gap-2">
                  <input
                    type="checkbox"
                    className="checkbox checkbox-sm mt-0.5"
                    aria-label={`Pick ${s.name} to compare`}
                    disabled={!s.last}
                    onChange={(e) => s.last && pick(s.last.id, e.target.checked)}
                  />
                  <div>
                    <Link
                      to={`/scenarios/${s.name}`}
                      className={`link link-primary font-medium ${s.name.length > 32 ? "[overflow-wrap:anywhere]" : "whitespace-nowrap"}`}
                    >
                      {s.name}
                    </Link>
                    <div className="hidden min-w-44 max-w-60 text-xs opacity-80 sm:block">{s.note}</div>
                  </div>
                </div>
              ),
            },
            {
              title: "mean start delay, by phase",
              order: "mean",
              wide: true,
              value: (s) => s.last?.simulation?.summary?.meanDelayNs ?? 0,
              show: (s) =>
                s.last?.simulation?.summary ? (
                  <div className="flex items-center gap-2">
                    <Ribbon ns={ribbon(s)} whole={scale.whole} label={`start delay of ${s.name}`} />
                    <span className="w-24 shrink-0 text-right text-sm">
                      {duration(s.last.simulation.summary.meanDelayNs)}
                    </span>
                  </div>
                ) : (
                  <span className="opacity-75">not simulated yet</span>
                ),
            },
            {
              title: "95 % start within",
              order: "p95",
              right: true,
              value: (s) => s.last?.simulation?.summary?.p95DelayNs ?? 0,
              show: (s) => <ListedFigure o={s.last} which="delay-p95" />,
            },
            {
              title: "wrong for good",
              order: "wrong",
              right: true,
              value: (s) => s.last?.simulation?.summary?.wrong ?? 0,
              show: (s) => <ListedFigure o={s.last} which="wrong" />,
            },
            {
              title: "a month",
              order: "cost",
              right: true,
              value: (s) => s.last?.simulation?.summary?.costPerMonth ?? 0,
              show: (s) => (
                <>
                  <ListedFigure o={s.last} which="cost-month" />
                  {s.last?.simulation?.summary && (
                    <span className="block whitespace-nowrap text-xs opacity-80">
                      <ListedFigure o={s.last} which="cost-year" /> a year
                    </span>
                  )}
                </>
              ),
            },
            {
              title: "aims",
              value: (s) => s.last?.simulation?.summary?.aims ?? "",
              show: (s) => <Verdict o={s.last} />,
            },
            {
              title: "outcome",
              order: "outcome",
              value: (s) => s.last?.id ?? 0,
              show: (s) =>
                s.last ? (
                  <Link to={`/outcomes/${s.last.id}`} className="link whitespace-nowrap">
                    {s.current ? `outcome ${s.last.id}` : `outcome ${s.last.id}, changed since`}
                  </Link>
                ) : (
                  "–"
                ),
            },
          ]}
        />
        <More shown={items.length} all={all} list={list} />
        <div className="mt-3">
          <Legend ns={widest} times={false} />
          {scale.cut && (
            <p id="cut" className="mt-1 text-sm opacity-80">
              Full width is {duration(scale.whole)}; longer ones are drawn cut, with their phases in
              proportion.
            </p>
          )}
        </div>
      </Section>
      <Happens />
      <Section title="Recent simulations">
        {recent.data && (
          <DataTable<Work>
            name="outcomes"
            rows={recent.data.items}
            rowKey={(o) => String(o.id)}
            columns={[
              {
                title: "outcome",
                value: (o) => o.id,
                show: (o) => (
                  <Link to={`/outcomes/${o.id}`} className="link">
                    {o.id}
                  </Link>
                ),
              },
              { title: "scenario", value: (o) => o.about },
              { title: "state", value: (o) => o.state },
              ...outcomeColumns,
            ]}
          />
        )}
      </Section>
    </>
  );
}

/** Whether what happens is as predicted, and what to expect of the week, of scenarios that are followed. */
function Happens() {
  const all = useQuery(followed);
  const weeks = useQuery(forecasts(""));
  const items = all.data?.items ?? [];
  if (items.length === 0) return null;
  const ahead = (name: string) =>
    weeks.data?.items.find(
      (w) => w.about === name && w.state === "done" && w.forecast?.live && !w.forecast.came,
    );
  return (
    <Section title="While it happens" aside="scenarios that are followed">
      <ul id="happens" className="space-y-3">
        {items.map((f) => {
          const week = ahead(f.scenario);
          return (
            <li
              key={f.scenario}
              className={`border-l-4 pl-3 ${f.standing.drifted || f.trouble ? "border-warning" : "border-base-300"}`}
            >
              <Link to={`/backtest/${f.scenario}`} className="link link-primary font-medium">
                {f.scenario}
              </Link>{" "}
              {f.trouble ? `No more days can be looked at: ${f.trouble}` : bound(f.says)}
              {week?.forecast && (
                <div className="text-sm">
                  <Link to={`/ahead/${f.scenario}?id=${week.id}`} className="link">
                    Week of {day(week.forecast.monday ?? "")}
                  </Link>
                  : about {count(week.forecast.jobs)} jobs. {bound(week.forecast.says)}
                </div>
              )}
            </li>
          );
        })}
      </ul>
      {(all.data?.waiting ?? 0) > 0 && (
        <p className="mt-3 text-sm">
          {count(all.data?.waiting ?? 0)} events have not arrived where they are told to: {all.data?.failure}
        </p>
      )}
    </Section>
  );
}

/** Nothing is stored yet: where to begin. */
function First() {
  return (
    <>
      <Section title="Nothing here yet">
        <p className="mb-4 max-w-3xl">
          A log of jobs and the manifest of the pods that run them give a first answer in about two minutes:
          how long jobs would wait, for what, and what it would cost.
        </p>
        <p className="flex flex-wrap items-center gap-3">
          <Link id="begin" to="/start" className="btn btn-primary">
            Begin with your jobs and a manifest
          </Link>
          <Link to="/templates/new" className="link">
            Write a first template by seven questions
          </Link>
        </p>
        <p className="mt-4 text-sm">
          On the command line: <code className="font-mono">tachyphor put FOLDER</code> stores documents that
          you have, <code className="font-mono">tachyphor demo</code> shows sample data.
        </p>
      </Section>
      <Path names={[]} />
    </>
  );
}
