import { useQuery } from "@tanstack/react-query";
import { useParams } from "react-router";
import type { Schemas } from "../api/client";
import { facts } from "../api/queries/documents";
import { DataTable } from "../parts/DataTable";
import { Fact } from "../parts/Fact";
import { Notice, Section, Trouble, Waiting } from "../parts/Section";
import { Spread } from "../parts/Spread";
import { useTitle } from "../parts/useTitle";
import { count, hereDay } from "../words";

type Known = Schemas["Fact"];
type Measured = Schemas["Measured"];

const worst: Record<Known["known"], number> = {
  "never measured": 0,
  "measured otherwise": 1,
  old: 2,
  "records say otherwise": 1,
  measured: 3,
};

const day = (s?: string) => (s ? hereDay(s) : "–");

/** age in whole days. */
const age = (s?: string) => (s ? Math.floor((Date.now() - new Date(s).getTime()) / 86_400_000) : Number.NaN);

/** The facts of a cluster: what each says, where it comes from, how old it is and what it may be. */
export function Cluster() {
  const { name = "" } = useParams();
  useTitle(name);
  const found = useQuery(facts(name));
  if (found.error) return <Trouble error={found.error} />;
  if (!found.data) return <Waiting what={`cluster ${name}`} />;
  const c = found.data;
  const guessed = c.facts.filter((f) => f.known !== "measured");
  const others = c.measured.filter((m) => !c.facts.some((f) => f.fact === m.fact));
  return (
    <>
      <div className="mt-8">
        <h1 className="font-semibold text-2xl">{c.name}</h1>
        <p className="max-w-3xl">
          {c.note} Revision {c.revision}.
        </p>
      </div>
      <Section
        title="What delays and bills hang on"
        aside={`${count(c.facts.length - guessed.length)} of ${count(c.facts.length)} are measured and not old`}
      >
        {guessed.length > 0 && (
          <Notice>
            {guessed.length === 1 ? "One fact" : `${count(guessed.length)} facts`} nobody measured, or long
            ago. Which of them matter for a design says an outcome under <b>What it hangs on</b>; what your
            cluster's own records tell of them, <code>tachyphor learn cluster --live --onto {c.name}</code>.
          </Notice>
        )}
        <p className="mb-2 text-sm opacity-80">
          Dots are what was measured at 5, 25, 50, 75 and 95 %, on one scale from 0 with what the document
          says: bar from 25 to 75 %, line from 5 to 95 %.
        </p>
        <DataTable<Known>
          name={`${c.name}-facts`}
          rows={[...c.facts].sort((a, b) => (worst[a.known] ?? 0) - (worst[b.known] ?? 0))}
          rowKey={(f) => f.fact}
          columns={[
            { title: "fact", value: (f) => f.fact, show: (f) => <Fact name={f.fact} /> },
            { title: "says", right: true, value: (f) => f.says },
            {
              title: "known",
              value: (f) => worst[f.known] ?? 0,
              show: (f) => (
                <span
                  className={`whitespace-nowrap ${f.known === "measured" ? "" : "font-medium text-warning"}`}
                >
                  {f.known}
                </span>
              ),
            },
            {
              title: "age",
              right: true,
              value: (f) => age(f.at),
              show: (f) => <span title={day(f.at)}>{f.at ? `${count(age(f.at))} d` : "–"}</span>,
            },
            {
              title: "of",
              right: true,
              value: (f) => f.count ?? 0,
              show: (f) => (f.count ? count(f.count) : "–"),
            },
            {
              title: "measured and stated",
              value: (f) => f.standsNs?.[2] ?? 0,
              show: (f) => <Spread data={f.spreadNs} stands={f.standsNs} />,
            },
            { title: "may be", right: true, value: (f) => `${f.low} to ${f.high}` },
            {
              title: "from",
              value: (f) => c.measured.find((m) => m.fact === f.fact)?.how ?? "",
            },
          ]}
        />
      </Section>
      {others.length > 0 && (
        <Section title="Measured besides" aside="sizes of nodes, DaemonSets, packing">
          <DataTable<Measured>
            name={`${c.name}-measured`}
            rows={others}
            rowKey={(m) => m.fact}
            columns={[
              { title: "fact", value: (m) => m.fact },
              { title: "was", value: (m) => m.value },
              { title: "on", right: true, value: (m) => m.at, show: (m) => day(m.at) },
              {
                title: "of",
                right: true,
                value: (m) => m.count ?? 0,
                show: (m) => (m.count ? count(m.count) : "–"),
              },
              {
                title: "from",
                value: (m) => m.how ?? "",
                show: (m) => [m.how, m.where].filter(Boolean).join(", "),
              },
            ]}
          />
        </Section>
      )}
    </>
  );
}
