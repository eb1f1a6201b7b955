import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import type { SchemaNode } from "../../parts/schemaCompletion";
import { Field, type Step, useEditing } from "./Field";
import { Fields, Folded, List } from "./Fields";
import { fieldsOf, shapeOf, valueAt } from "./shape";

const seldom = ["prefer", "mostJobs", "mostAge", "needsOneAgent", "oneAgentWithin"];

/** The templates of a scenario in their order of preference, each with its agents' numbers. */
export function Agents({ node, briefs }: { node: SchemaNode; briefs: Schemas["TemplateBrief"][] }) {
  const { root, spec, names } = useEditing();
  const shape = fieldsOf(root, node).find((f) => f.key === "templates");
  if (!shape) return null;
  const used = ((valueAt(spec, ["templates"]) as Schemas["TemplateUse"][] | undefined) ?? []).map(
    (t) => t.template,
  );
  const next = (names.template ?? []).find((n) => !used.includes(n)) ?? "";
  return (
    <List
      shape={shape}
      path={["templates"]}
      title="templates"
      fresh={{ template: next }}
      head={(i) => <Head name={used[i] ?? ""} brief={briefs.find((b) => b.name === used[i])} />}
      body={(i) => <Use node={shape.node.items ?? {}} path={["templates", i]} />}
    />
  );
}

function Head({ name, brief }: { name: string; brief?: Schemas["TemplateBrief"] }) {
  return (
    <p className="min-w-0 break-words">
      {name ? (
        <Link to={`/templates/${name}`} className="link font-medium">
          {name}
        </Link>
      ) : (
        <b>no template yet</b>
      )}
      {brief && (
        <span className="text-sm opacity-85">
          {" "}
          · offers {brief.offers.join(", ") || "nothing"} · {brief.cpu} CPU, {brief.memory}
        </span>
      )}
    </p>
  );
}

function Use({ node, path }: { node: SchemaNode; path: Step[] }) {
  const { root, spec } = useEditing();
  const of = fieldsOf(root, node);
  const template = of.find((f) => f.key === "template");
  const agents = of.find((f) => f.key === "agents");
  const away = of.find((f) => f.key === "outOfService");
  if (!template || !agents || !away) return null;
  const at = [...path, "agents"];
  const numbers = (valueAt(spec, at) ?? {}) as Record<string, unknown>;
  const calendar = shapeOf(root, "calendar", agents.node.properties?.calendar ?? {});
  const has = (key: string) => ((numbers[key] as unknown[] | undefined)?.length ?? 0) > 0;
  const isAway = (valueAt(spec, [...path, "outOfService"]) as unknown[] | undefined)?.length ?? 0;
  return (
    <div className="space-y-2">
      <Fields node={agents.node} path={at} but={[...seldom, "calendar"]} />
      <Folded
        title="Other numbers in parts of the week"
        note={has("calendar") ? "" : "none"}
        open={has("calendar")}
      >
        <List shape={calendar} path={[...at, "calendar"]} title="" />
      </Folded>
      <Folded
        title="More"
        note="another template, how long agents live, who may wait"
        open={seldom.some((key) => key !== "prefer" && numbers[key] !== undefined)}
      >
        <div className="space-y-3">
          <div className="max-w-64">
            <Field shape={template} path={[...path, "template"]} />
          </div>
          <Fields node={agents.node} path={at} only={seldom} />
          <List shape={away} path={[...path, "outOfService"]} />
        </div>
      </Folded>
      {isAway > 0 && <p className="text-sm opacity-80">It is out of service at times (More).</p>}
    </div>
  );
}
