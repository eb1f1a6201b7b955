import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, over, type Schemas, take, type Work } from "../../api/client";
import { margin, margins } from "../../api/queries";
import { DataTable } from "../../parts/DataTable";
import { Section, Trouble } from "../../parts/Section";
import { Underway } from "../../parts/Underway";
import { bound, count } from "../../words";
import { ink } from "./verdict";

/** How far the scenario's aims bear what nobody chooses: more jobs, slower boots, higher prices. */
export function Holds({ scenario, aims }: { scenario: string; aims: string[] }) {
  const list = useQuery(margins(scenario));
  const queries = useQueryClient();
  const [error, setError] = useState<unknown>(null);
  const kept = list.data?.items.find((w) => w.margin?.aims.join("\n") === aims.join("\n"));
  const again = !kept || kept.state === "failed" || kept.state === "cancelled";
  const ask = async () => {
    setError(null);
    try {
      take(await api.POST("/api/v1/margins", { body: { scenario, aims } }));
      await queries.invalidateQueries({ queryKey: ["margins"] });
    } catch (problem) {
      setError(problem);
    }
  };
  return (
    <Section
      id="holds"
      title={`How far ${scenario} holds as it is`}
      aside="each thing by itself, on the same draws"
    >
      {error !== null && <Trouble error={error} />}
      {list.error && <Trouble error={list.error} />}
      {kept?.state === "failed" && <Trouble error={new Error(`It failed: ${kept.error}`)} />}
      {list.data && again && (
        <p className="flex max-w-3xl flex-wrap items-center gap-3">
          <button type="button" id="margin" className="btn btn-sm" onClick={ask}>
            Let it grow
          </button>
          <span className="text-sm opacity-80">
            More jobs, longer boots, larger images, slower links, higher prices: up to which factor every aim
            is still kept, and what breaks first.
          </span>
        </p>
      )}
      {kept && !again && <Kept first={kept} />}
    </Section>
  );
}

/** How far it has come, or what came of it. */
function Kept({ first }: { first: Work }) {
  const running = !over(first);
  const found = useQuery({ ...margin(first.id), enabled: !running });
  if (running) return <Underway first={first} queryKey="margins" />;
  if (found.error) return <Trouble error={found.error} />;
  const m = found.data?.result;
  return m ? <Table id={first.id} m={m} /> : null;
}

const times = (x?: number) => (x ? `${x.toFixed(2)} ×` : "–");

function Table({ id, m }: { id: number; m: Schemas["Margins"] }) {
  const rows = m.margins.flatMap((x) =>
    x.aims.flatMap((b, i) => (b.unmoved ? [] : [{ x, b, first: x.first === i }])),
  );
  return (
    <>
      <p className="mb-3 max-w-4xl">{bound(m.sentence)}</p>
      <DataTable
        name={`margin-${id}`}
        rows={rows}
        rowKey={(r) => `${r.x.of} ${r.b.aim}`}
        columns={[
          { title: "what grows", value: (r) => r.x.of },
          { title: "aim", value: (r) => r.b.aim, show: (r) => <div className="min-w-40">{r.b.aim}</div> },
          {
            title: "today",
            value: (r) => r.b.today,
            show: (r) => <span className={ink(r.b.today)}>{r.b.today}</span>,
          },
          {
            title: "kept up to",
            right: true,
            value: (r) => r.b.kept ?? 0,
            show: (r) => (r.b.atMost ? `${times(r.x.most)} at least` : times(r.b.kept)),
          },
          {
            title: "missed from",
            right: true,
            value: (r) => r.b.missed ?? Number.POSITIVE_INFINITY,
            show: (r) => times(r.b.missed),
          },
          {
            title: "then",
            wide: true,
            value: (r) => (r.first ? (r.x.why ?? "") : ""),
            show: (r) =>
              r.first && (
                <>
                  <b>{r.b.today === "kept" ? "breaks first" : `${r.b.today} already`}</b>
                  {r.x.why && `: ${r.x.why}`}
                </>
              ),
          },
        ]}
      />
      <p className="mt-2 text-sm opacity-80">
        {m.repeats} repeats at each factor; {count(m.runs)} runs.
      </p>
    </>
  );
}
