import { useQuery } from "@tanstack/react-query";
import { api, type Schemas, take } from "../../api/client";
import { margin, margins } from "../../api/queries/works";
import { DataTable } from "../../parts/DataTable";
import { OnDemand } from "../../parts/OnDemand";
import { Trouble } from "../../parts/Section";
import { verdictInk } from "../../parts/verdictInk";
import { bound, count } from "../../words";

/** How far the scenario's aims bear what nobody chooses: more jobs, slower boots, higher prices. */
export function Holds({ scenario, aims }: { scenario: string; aims: string[] }) {
  return (
    <OnDemand
      id="holds"
      title={`How far ${scenario} holds as it is`}
      aside="each thing by itself, on the same draws"
      queryKey="margins"
      list={useQuery(margins(scenario))}
      mine={(w) => w.margin?.aims.join("\n") === aims.join("\n")}
      ask={async () => take(await api.POST("/api/v1/margins", { body: { scenario, aims } }))}
      button={{ id: "margin", says: "Let it grow" }}
      about="More jobs, longer boots, larger images, slower links, higher prices: up to which factor every aim is still kept, and what breaks first."
      failed="Letting it grow failed"
    >
      {(w) => <Kept id={w.id} />}
    </OnDemand>
  );
}

/** What came of it. */
function Kept({ id }: { id: number }) {
  const found = useQuery(margin(id));
  if (found.error) return <Trouble error={found.error} />;
  const m = found.data?.result;
  return m ? <Table id={id} m={m} /> : null;
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
            show: (r) => <span className={verdictInk(r.b.today)}>{r.b.today}</span>,
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
