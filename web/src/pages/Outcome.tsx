import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import type { Schemas } from "../api/client";
import { outcome, outcomes } from "../api/queries/outcomes";
import { Bar, Key, total } from "../parts/Bar";
import { BriefLink } from "../parts/BriefLink";
import { Contents } from "../parts/Contents";
import { DataTable } from "../parts/DataTable";
import { leadOf } from "../parts/lead";
import { SaveBars } from "../parts/SaveBars";
import { Notice, Section, Trouble, Waiting } from "../parts/Section";
import type { Other } from "../parts/TimeLines";
import { useAddress } from "../parts/useAddress";
import { useTitle } from "../parts/useTitle";
import { Asked, Why } from "../parts/Why";
import { Words } from "../parts/Words";
import { count, duration, inOne, percent } from "../words";
import { Aims } from "./outcome/Aims";
import { Bill } from "./outcome/Bill";
import { Delays } from "./outcome/Delays";
import { Events } from "./outcome/Events";
import { Failures } from "./outcome/Failures";
import { Groups } from "./outcome/Groups";
import { Hangs } from "./outcome/Hangs";
import { Happened } from "./outcome/Happened";
import { Images } from "./outcome/Images";
import { Jobs } from "./outcome/Jobs";
import { Keep } from "./outcome/Keep";
import { Limits } from "./outcome/Limits";
import { Lines } from "./outcome/Lines";
import { Lives } from "./outcome/Lives";
import { Network } from "./outcome/Network";
import { Progress } from "./outcome/Progress";
import { Slowest } from "./outcome/Slowest";
import { Workspaces } from "./outcome/Workspaces";

type Result = Schemas["Outcome"];

/** What simulating a scenario gave, or how far it has come. */
export function Outcome() {
  const id = Number(useParams().id);
  const { query } = useAddress();
  const beside = Number(query.get("beside") ?? 0);
  const found = useQuery(outcome(id));
  const other = useQuery({ ...outcome(beside), enabled: beside > 0 });
  useTitle(`Outcome ${id}`);
  if (found.error) return <Trouble error={found.error} />;
  if (!found.data) return <Waiting what={`outcome ${id}`} />;
  const o = found.data;
  const result = o.result;
  return (
    <>
      <div className="mt-8 flex flex-wrap items-baseline justify-between gap-x-4">
        <h1 className="min-w-0 font-semibold text-2xl [overflow-wrap:anywhere]">{o.about}</h1>
        <p className="text-sm">
          outcome {o.id} ·{" "}
          <Link to={`/scenarios/${o.about}`} className="link">
            change the design
          </Link>{" "}
          {o.state === "done" && (
            <>
              · <Keep o={o} />{" "}
            </>
          )}
          · <Earlier id={o.id} scenario={o.about} />
        </p>
      </div>
      {o.state === "failed" && <Trouble error={new Error(`The simulation failed: ${o.error}`)} />}
      {o.state === "cancelled" && <Notice>The simulation was cancelled.</Notice>}
      {(o.state === "queued" || o.state === "running") && <Progress first={o} />}
      {result && <LaidOver id={id} beside={beside} />}
      {other.error && <Trouble error={other.error} />}
      {result && <Contents />}
      {result && (
        <Story
          id={id}
          scenario={o.about}
          o={result}
          other={other.data?.result && { name: `outcome ${beside}`, o: other.data.result }}
        />
      )}
    </>
  );
}

/** Another outcome that is laid over the pictures of this one. */
function LaidOver({ id, beside }: { id: number; beside: number }) {
  const list = useQuery(outcomes());
  const { instead } = useAddress();
  const others = (list.data?.items ?? []).filter((o) => o.id !== id && o.state === "done");
  if (others.length === 0 && beside === 0) return null;
  return (
    <p className="mt-1 text-sm">
      <label htmlFor="beside">Laid over the pictures: </label>
      <select
        id="beside"
        className="select select-xs w-auto max-w-full"
        value={beside || ""}
        onChange={(e) => instead({ beside: e.target.value })}
      >
        <option value="">nothing</option>
        {beside > 0 && !others.some((o) => o.id === beside) && (
          <option value={beside}>outcome {beside}</option>
        )}
        {others.map((o) => (
          <option key={o.id} value={o.id}>
            outcome {o.id} of {o.about}
          </option>
        ))}
      </select>
    </p>
  );
}

/** The way to compare with what was there before. */
function Earlier({ id, scenario }: { id: number; scenario: string }) {
  const list = useQuery(outcomes(scenario));
  const before = list.data?.items.find((o) => o.id < id && o.state === "done");
  if (!before)
    return (
      <Link to="/compare" className="link">
        compare
      </Link>
    );
  return (
    <Link to={`/compare?ids=${before.id},${id}`} className="link">
      compare with outcome {before.id}
    </Link>
  );
}

/** The finished outcome, from the sentence down to single jobs. */
function Story({ id, scenario, o, other }: { id: number; scenario: string; o: Result; other?: Other }) {
  const all = o.groups[0];
  if (!all) return null;
  const any = all.jobs.mean > 0 || o.slowest.length > 0;
  const parts = leadOf(all);
  const theirs = other?.o.groups[0] ? leadOf(other.o.groups[0]) : [];
  const whole = Math.max(total(parts), total(theirs));
  return (
    <>
      <p className="mt-2 max-w-3xl text-lg leading-snug" id="headline">
        <Words>{o.headline}</Words> {o.judged && <Words>{o.judged}</Words>}
      </p>
      <p className="mt-2 text-sm">
        <BriefLink ids={[id]} />
      </p>
      {o.notes.map((note) => (
        <Notice key={note}>{note}</Notice>
      ))}
      {o.unmatched.map((u) => (
        <Notice key={u.class}>
          <b>
            {count(u.jobs)} {u.jobs === 1 ? "job" : "jobs"} of {u.class} can never start:
          </b>{" "}
          {u.missing.length === 0
            ? "they want nothing, and every template takes only jobs that name something it offers."
            : `no template offers ${u.missing.join(", ")}.`}
          {u.meant.filter(Boolean).map((m, i) => (
            <span key={m}>
              {" "}
              {u.nearest} offers <b>{m}</b>: is {u.missing[i]} a slip?
            </span>
          ))}
        </Notice>
      ))}
      <div className="mt-5">
        {any && <Bar list={parts} whole={whole} label="the mean job" tall />}
        {other && (
          <div className="mt-1">
            <Bar list={theirs} whole={whole} label={`the mean job of ${other.name}`} />
            <p className="text-sm opacity-80">
              below: {other.name} of {other.o.scenario}, {duration(total(theirs))}
            </p>
          </div>
        )}
        <div className="mt-2 flex flex-wrap justify-between gap-x-6">
          <Key list={parts} />
          {any && (
            <p className="text-sm opacity-80">
              the mean job, {duration(total(parts))} from submission to end
            </p>
          )}
        </div>
        {any && (
          <SaveBars
            title={`${scenario}: the mean job`}
            rows={[{ label: scenario, list: parts }, ...(other ? [{ label: other.name, list: theirs }] : [])]}
            whole={whole}
          />
        )}
        {o.means && (
          <p className="mt-2 max-w-3xl text-sm opacity-80">
            <Words>{o.means}</Words>
          </p>
        )}
      </div>
      <Why />
      <Aims id={id} o={o} />
      <Failures id={id} o={o} />
      {any && <Groups o={o} other={other} />}
      <div className="grid gap-x-10 *:min-w-0 lg:grid-cols-2">
        {o.causes.length > 0 && (
          <Section title="What the delay was spent on" aside={`${o.repeats} repeats, ± 95 %`}>
            <DataTable
              name={`outcome-${id}-causes`}
              rows={o.causes.filter((x) => x.share >= 0.0005)}
              rowKey={(x) => x.cause}
              columns={[
                { title: "waiting for", value: (x) => x.label, show: (x) => <Words>{x.label}</Words> },
                {
                  title: "job-hours",
                  right: true,
                  value: (x) => x.jobHours.mean,
                  show: (x) => <Asked of={`cause/${x.cause}`}>{inOne(x.jobHours)}</Asked>,
                },
                { title: "share", right: true, value: (x) => x.share, show: (x) => percent(x.share, 1) },
              ]}
            />
          </Section>
        )}
        <Section title="The bill" aside="a month of 730 h">
          <Bill o={o} />
        </Section>
      </div>
      <Limits id={id} o={o} />
      <Happened o={o} />
      <Lines o={o} id={id} other={other} />
      {any && (
        <>
          <Slowest id={id} o={o} />
          <Jobs id={id} o={o} />
          <Delays groups={o.groups} other={other} />
        </>
      )}
      <Lives id={id} o={o} />
      <Network id={id} o={o} />
      <Workspaces id={id} o={o} />
      <Events id={id} o={o} />
      <Hangs id={id} scenario={scenario} />
      <Images id={id} scenario={scenario} />
    </>
  );
}
