import { lazy, Suspense } from "react";
import { BriefLink } from "../../parts/BriefLink";
import { DataTable } from "../../parts/DataTable";
import { Notice, Section, Waiting } from "../../parts/Section";
import { useAddress } from "../../parts/useAddress";
import { verdictInk } from "../../parts/verdictInk";
import { bound, count, duration, money, plusMinus } from "../../words";
import { Binds } from "./Binds";
import { Chosen } from "./Chosen";
import { Further } from "./Further";
import { Holds } from "./Holds";
import { Ladder } from "./Ladder";
import { Matters } from "./Matters";
import { Staying } from "./Staying";
import { type Answer as Explored, verdicts, worst } from "./verdict";

const Cloud = lazy(() => import("./Cloud"));

/** What exploring came to, the answer first. */
export function Answer({ id, a, pods }: { id: number; a: Explored; pods?: string }) {
  const { query, instead } = useAddress();
  const best = Math.max(a.best, 0);
  const asked = Number(query.get("v") ?? best);
  const n = Number.isInteger(asked) && a.variants[asked] ? asked : best;
  const all = query.get("all") !== null;
  const pick = (v: number) => instead({ id, v });
  const chosen = a.variants[n];
  const rows = a.variants.map((v, at) => ({ v, at }));
  const few = rows.filter(({ v, at }) => v.frontier || at === a.best || at === 0 || at === n);
  few.sort((x, y) => x.v.billPerMonth.mean - y.v.billPerMonth.mean);
  return (
    <>
      <p id="sentence" className="mt-6 max-w-4xl text-lg leading-relaxed">
        {bound(a.sentence)}
      </p>
      {a.notes.map((note) => (
        <p key={note} className="mt-1 max-w-4xl text-sm opacity-80">
          {bound(note)}
        </p>
      ))}
      <p className="mt-2 text-sm">
        <BriefLink ids={[id]} />
        {pods && <span className="ml-4 opacity-80">{pods}</span>}
      </p>
      {a.best < 0 && (
        <Notice>
          Nothing is recommended. Loosen an aim, or let more change: a Sweep names the places (
          <code>tachyphor schema Sweep</code>).
        </Notice>
      )}
      <Section
        title="The variants"
        aside={`${count(a.variants.length)} in ${count(a.runs)} runs; press a point to open it`}
      >
        <Suspense fallback={<Waiting what="the picture" />}>
          <Cloud a={a} chosen={n} pick={pick} />
        </Suspense>
      </Section>
      {chosen && <Chosen key={n} id={id} a={a} n={n} v={chosen} />}
      <Ladder a={a} />
      <Further a={a} />
      <Staying a={a} />
      <Binds a={a} />
      <Matters a={a} />
      {a.aims.length > 0 && <Holds scenario={a.scenario} aims={a.aims.map((x) => x.says)} />}
      <Section
        id="table"
        title={all ? "All variants" : "The frontier"}
        aside={
          few.length < rows.length && (
            <button
              type="button"
              id="all"
              className="link"
              onClick={() => instead({ id, all: all ? "" : "yes" })}
            >
              {all ? "the frontier alone" : `all ${count(rows.length)} variants`}
            </button>
          )
        }
      >
        <DataTable
          name={`exploration-${id}`}
          rows={all ? rows : few}
          rowKey={(r) => String(r.at)}
          chosen={(r) => r.at === n}
          columns={[
            {
              title: "95 % start within",
              right: true,
              value: (r) => r.v.delayP95Ns.mean / 1e9,
              show: (r) => (
                <>
                  {duration(r.v.delayP95Ns.mean)}{" "}
                  <span className="opacity-70">{plusMinus(r.v.delayP95Ns, duration)}</span>
                </>
              ),
            },
            {
              title: "a month",
              right: true,
              value: (r) => r.v.billPerMonth.mean,
              show: (r) => money(r.v.billPerMonth.mean, a.currency),
            },
            {
              title: "a year",
              right: true,
              value: (r) => 12 * r.v.billPerMonth.mean,
              show: (r) => money(12 * r.v.billPerMonth.mean, a.currency),
            },
            { title: "repeats", right: true, value: (r) => r.v.runs },
            ...(a.aims.length > 0
              ? [
                  {
                    title: "aims",
                    value: (r: (typeof rows)[number]) => verdicts(r.v.aims),
                    show: (r: (typeof rows)[number]) => (
                      <span className={verdictInk(worst(r.v.aims))}>{verdicts(r.v.aims)}</span>
                    ),
                  },
                ]
              : []),
            {
              title: "change",
              wide: true,
              value: (r) => r.v.change,
              show: (r) => (
                <button type="button" className="link min-w-72 text-left" onClick={() => pick(r.at)}>
                  {r.at === a.best ? `recommended: ${r.v.change}` : r.v.change}
                </button>
              ),
            },
          ]}
        />
      </Section>
    </>
  );
}
