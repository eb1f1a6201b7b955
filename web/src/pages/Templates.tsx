import { useInfiniteQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { type TemplatesAsked, templatePages } from "../api/queries/templates";
import { DataTable } from "../parts/DataTable";
import { Look, More } from "../parts/Paged";
import { Section, Trouble, Waiting } from "../parts/Section";
import { useAsked } from "../parts/useAsked";
import { useTitle } from "../parts/useTitle";
import { Tally } from "./template/Tally";

type Reviewed = Schemas["Reviewed"];

/** Templates with what check has to say of them. */
export function Templates() {
  useTitle("Templates");
  const { by, down, text, order, look } = useAsked<NonNullable<TemplatesAsked["by"]>>("name");
  const list = useInfiniteQuery(templatePages({ by, down, text: text || undefined }));
  if (list.error) return <Trouble error={list.error} />;
  if (!list.data) return <Waiting what="templates" />;
  const items = list.data.pages.flatMap((p) => p.items);
  const all = list.data.pages[0]?.all ?? 0;
  const first = (
    <Link to="/templates/new" className="btn btn-primary btn-sm">
      Make a template
    </Link>
  );
  if (all === 0 && text === "") {
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
      <Look id="template-text" label="in its name, or offered" text={text} all={all} look={look} />
      <DataTable<Reviewed>
        name="templates"
        order={order}
        rows={items}
        rowKey={(t) => t.name}
        columns={[
          {
            title: "template",
            order: "name",
            value: (t) => t.name,
            show: (t) => (
              <Link to={`/templates/${t.name}`} className="link link-primary whitespace-nowrap font-medium">
                {t.name}
              </Link>
            ),
          },
          {
            title: "findings",
            order: "findings",
            value: (t) => t.findings.length,
            show: (t) => <Tally findings={t.findings} />,
          },
          { title: "offers", value: (t) => t.portrait.offers.join(", ") },
          { title: "CPU", order: "cpu", right: true, value: (t) => t.portrait.cpu },
          { title: "memory", order: "memory", right: true, value: (t) => t.portrait.memory },
          {
            title: "least an hour",
            order: "hour",
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
            order: "uses",
            right: true,
            value: (t) => t.uses.length,
            show: (t) =>
              t.uses.length === 0
                ? "–"
                : `${t.uses.length} ${t.uses.length === 1 ? "scenario" : "scenarios"}`,
          },
        ]}
      />
      <More shown={items.length} all={all} list={list} />
    </Section>
  );
}

/** least is what an hour of an agent costs where it costs least. */
const least = (p: Schemas["Portrait"]) => {
  const all = p.places.filter((x) => x.agents > 0 && x.hourly).map((x) => Number(x.hourly));
  return all.length > 0 ? Math.min(...all) : undefined;
};
