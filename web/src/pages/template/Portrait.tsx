import type { ReactNode } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { count } from "../../words";

/** What an agent of the template will be, in plain words. */
export function Portrait({ of }: { of: Schemas["Portrait"] }) {
  const fits = of.places.filter((p) => p.agents > 0);
  const not = of.places.filter((p) => p.agents === 0);
  return (
    <section aria-label="What an agent will be" className="text-sm" id="portrait">
      <h2 className="mb-2 font-semibold text-lg">What an agent will be</h2>
      <dl className="space-y-3">
        <Fact name="It reserves">
          {of.cpu} CPU, {of.memory} of memory, {of.disk === "0 B" ? "no disk" : `${of.disk} of disk`}
          {of.limit ? `; its jobs may have ${of.limit}` : "; its jobs may have all of the node's memory"}.
        </Fact>
        <Fact name="It offers">{of.offers.length > 0 ? of.offers.join(", ") : "nothing"}</Fact>
        <Fact name="It starts from">
          <span className="break-all font-mono text-xs">{of.image || "an image that cannot be told"}</span>
          {of.pull && <>; a node that has none of its images pulls {of.pull}</>}.
        </Fact>
        <Fact name="It fits">
          {of.places.length === 0 && "where, cannot be told: no cluster is known."}
          <ul>
            {fits.map((p) => (
              <li key={p.pool}>
                <b>{p.agents}</b> on a node of {p.pool} ({p.nodeType}),{" "}
                {p.hourly ? `${of.currency} ${p.hourly} an hour each` : "and reserve nothing of it"};{" "}
                {p.binds} binds, {p.leftCpu} CPU and {p.leftMemory} left over
              </li>
            ))}
            {not.map((p) => (
              <li key={p.pool} className="opacity-80">
                none on {p.pool}: {p.binds}
              </li>
            ))}
          </ul>
        </Fact>
        <Fact name="It gets">
          {of.gets.length === 0 && "no jobs yet: no scenario uses it."}
          <ul>
            {of.gets.map((g) => (
              <li key={g.scenario}>
                in{" "}
                <Link className="link" to={`/scenarios/${g.scenario}`}>
                  {g.scenario}
                </Link>
                : {g.classes.length > 0 ? g.classes.join(", ") : "nothing"}
                {g.perWeek > 0 && `, ${count(g.perWeek)} jobs a week`}
              </li>
            ))}
          </ul>
        </Fact>
        <Fact name="Its jobs may">
          {of.may.length === 0 ? "do nothing beyond their own container" : `${of.may.join("; ")}`}.
        </Fact>
        {of.secrets.length > 0 && <Fact name="It needs the Secrets">{of.secrets.join(", ")}</Fact>}
      </dl>
    </section>
  );
}

function Fact({ name, children }: { name: string; children: ReactNode }) {
  return (
    <div>
      <dt className="opacity-80">{name}</dt>
      <dd>{children}</dd>
    </div>
  );
}
