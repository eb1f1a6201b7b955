import { Aims } from "../../parts/Aims";
import { DataTable } from "../../parts/DataTable";
import { Section } from "../../parts/Section";
import type { SchemaNode } from "../../parts/schemaCompletion";
import { Agents } from "./Agents";
import { faultsAt, idOf, useEditing } from "./Field";
import { Fields, List } from "./Fields";
import { fieldsOf, type Shape, valueAt } from "./shape";
import type { Answer } from "./useText";

/** All that a scenario decides, part by part. */
export function Controls({ node, known }: { node: SchemaNode; known: Answer | null }) {
  const { root } = useEditing();
  const all = fieldsOf(root, node);
  const of = (key: string) => all.find((f) => f.key === key);
  const pools = known?.pools ?? [];
  return (
    <>
      <Section title="Tried on" aside="the facts and the jobs that the design is tried on">
        <Fields node={node} path={[]} only={["cluster", "workload"]} />
      </Section>
      <Section title="Aims" aside="what the design must keep; each outcome says whether it does">
        <Kept classes={known?.classes ?? []} />
      </Section>
      <Section title="Agents" aside="templates in order of preference, and how many agents of each">
        <Agents node={node} briefs={known?.templates ?? []} />
      </Section>
      <Section title="Limits" aside="over several templates together, and what they may request">
        <div className="space-y-3">
          <Fields node={node} path={[]} only={["agentCeiling", "limits", "quota"]} />
        </div>
      </Section>
      <Section title="Nodes" aside="how pools grow and shrink">
        {pools.length > 0 && (
          <div className="mb-3">
            <DataTable
              name="pools"
              rows={pools}
              rowKey={(p) => p.name}
              columns={[
                { title: "pool", value: (p) => p.name },
                { title: "node type", value: (p) => p.nodeType },
                { title: "CPU for agents", right: true, value: (p) => p.cpu },
                { title: "memory for agents", right: true, value: (p) => p.memory },
                { title: "fewest", right: true, value: (p) => p.min },
                { title: "most", right: true, value: (p) => p.max },
                { title: `${known?.currency ?? ""} a node`, right: true, value: (p) => p.price },
              ]}
            />
          </div>
        )}
        <Inside shape={of("nodes")} at="nodes" />
      </Section>
      <Section title="Caching" aside={of("caching")?.meaning}>
        <Listed shape={of("caching")} />
      </Section>
      <Section title="What happens" aside="what is changed by hand, and trouble, at moments of the week">
        <div className="space-y-3">
          <Fields node={node} path={[]} only={["changes", "events"]} />
        </div>
      </Section>
      <Section title="Run" aside="how long and how often to simulate; what waiting is worth">
        <Inside shape={of("run")} at="run" />
        <div className="mt-3">
          <Fields node={node} path={[]} only={["waiting"]} />
        </div>
      </Section>
    </>
  );
}

/** The aims of the design, as the document has them. */
function Kept({ classes }: { classes: string[] }) {
  const { spec, edit, faults } = useEditing();
  const there = valueAt(spec, ["aims"]);
  const list = Array.isArray(there) ? there.map(String) : [];
  const set = (to: string[]) =>
    edit([
      to.length === 0 ? { op: "remove", path: "/spec/aims" } : { op: "add", path: "/spec/aims", value: to },
    ]);
  return (
    <div id={idOf(["aims"])}>
      <Aims list={list} classes={classes} none="none: whether it is good enough is not said" set={set} />
      {faultsAt(faults, ["aims"]).map((f) => (
        <p key={f.path} className="mt-1 text-error text-sm" role="alert">
          {f.found && `${f.found}: `}
          {f.expected}
        </p>
      ))}
    </div>
  );
}

function Inside({ shape, at }: { shape?: Shape; at: string }) {
  return shape ? <Fields node={shape.node} path={[at]} /> : null;
}

function Listed({ shape }: { shape?: Shape }) {
  return shape ? <List shape={shape} path={[shape.key]} title={shape.key} /> : null;
}
