import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { templates } from "../api/queries/templates";
import { DataTable } from "../parts/DataTable";
import { Section, Trouble, Waiting } from "../parts/Section";
import { useTitle } from "../parts/useTitle";
import { Tally } from "./template/Tally";

type Reviewed = Schemas["Reviewed"];

/** Templates with what check has to say of them. */
export function Templates() {
  useTitle("Templates");
  const list = useQuery(templates);
  if (list.error) return <Trouble error={list.error} />;
  if (!list.data) return <Waiting what="templates" />;
  const items = list.data.items;
  const first = (
    <Link to="/templates/new" className="btn btn-primary btn-sm">
      Make a template
    </Link>
  );
  if (items.length === 0) {
    return (
      <Section title="No template yet">
        <p className="mb-4 max-w-2xl">
          A template says what an agent is: its image, what it can do, how big it is. Answer seven questions
          for a first one, or store what you have: <code>tachyphor put agents.yaml</code> takes pod templates
          out of Deployments, Jobs and Pods too.
        </p>
        {first}
      </Section>
    );
  }
  return (
    <Section title="Templates" aside={first}>
      <DataTable<Reviewed>
        name="templates"
        rows={items}
        rowKey={(t) => t.name}
        columns={[
          {
            title: "template",
            value: (t) => t.name,
            show: (t) => (
              <Link to={`/templates/${t.name}`} className="link link-primary whitespace-nowrap font-medium">
                {t.name}
              </Link>
            ),
          },
          {
            title: "findings",
            value: (t) => t.findings.length,
            show: (t) => <Tally findings={t.findings} />,
          },
          { title: "offers", value: (t) => t.portrait.offers.join(", ") },
          { title: "CPU", right: true, value: (t) => t.portrait.cpu },
          { title: "memory", right: true, value: (t) => t.portrait.memory },
          {
            title: "least an hour",
            right: true,
            value: (t) => least(t.portrait) ?? 0,
            show: (t) => {
              const x = least(t.portrait);
              if (x === undefined)
                return t.portrait.places.some((p) => p.agents > 0) ? "reserves nothing" : "fits nowhere";
              return `${t.portrait.currency} ${x.toFixed(3)}`;
            },
          },
          {
            title: "used in",
            right: true,
            value: (t) => t.uses.length,
            show: (t) =>
              t.uses.length === 0
                ? "–"
                : `${t.uses.length} ${t.uses.length === 1 ? "scenario" : "scenarios"}`,
          },
        ]}
      />
    </Section>
  );
}

/** least is what an hour of an agent costs where it costs least. */
const least = (p: Schemas["Portrait"]) => {
  const all = p.places.filter((x) => x.agents > 0 && x.hourly).map((x) => Number(x.hourly));
  return all.length > 0 ? Math.min(...all) : undefined;
};
