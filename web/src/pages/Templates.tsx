import { useInfiniteQuery } from "@tanstack/react-query";
import { Link, useSearchParams } from "react-router";
import type { Schemas } from "../api/client";
import { type TemplatesAsked, templatePages } from "../api/queries/templates";
import { DataTable } from "../parts/DataTable";
import { Section, Trouble, Waiting } from "../parts/Section";
import { useTitle } from "../parts/useTitle";
import { count } from "../words";
import { Tally } from "./template/Tally";

type Reviewed = Schemas["Reviewed"];

/** From how many templates on one may look for them. */
const few = 12;

/** Templates with what check has to say of them. */
export function Templates() {
  useTitle("Templates");
  const [query, setQuery] = useSearchParams();
  const by = (query.get("by") ?? "name") as NonNullable<TemplatesAsked["by"]>;
  const down = query.get("down") === "yes";
  const text = query.get("text") ?? "";
  const list = useInfiniteQuery(templatePages({ by, down, text: text || undefined }));
  const ask = (changes: Record<string, string>) =>
    setQuery(
      (q) => {
        for (const [key, value] of Object.entries(changes)) {
          if (value) q.set(key, value);
          else q.delete(key);
        }
        return q;
      },
      { replace: true, preventScrollReset: true },
    );
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
      {(all > few || text !== "") && (
        <p className="mb-2 text-sm">
          <label htmlFor="template-text">in its name, or offered </label>
          <input
            id="template-text"
            type="search"
            className="input input-sm w-48"
            defaultValue={text}
            onKeyDown={(e) => e.key === "Enter" && ask({ text: e.currentTarget.value.trim() })}
            onBlur={(e) => e.target.value.trim() !== text && ask({ text: e.target.value.trim() })}
          />
        </p>
      )}
      <DataTable<Reviewed>
        name="templates"
        order={{ by, down, set: (key, turned) => ask({ by: key, down: turned ? "yes" : "" }) }}
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
      {all > items.length && (
        <p className="mt-2 text-sm">
          <button
            type="button"
            id="more"
            className="btn btn-sm"
            disabled={list.isFetchingNextPage}
            onClick={() => list.fetchNextPage()}
          >
            {Math.min(all - items.length, 100)} more
          </button>{" "}
          {count(items.length)} of {count(all)}
        </p>
      )}
    </Section>
  );
}

/** least is what an hour of an agent costs where it costs least. */
const least = (p: Schemas["Portrait"]) => {
  const all = p.places.filter((x) => x.agents > 0 && x.hourly).map((x) => Number(x.hourly));
  return all.length > 0 ? Math.min(...all) : undefined;
};
