import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { scenarios, scenariosNamed } from "../api/queries/documents";
import { count } from "../words";

/** Chooses the scenario that a place is about: from a list, or, of more than are offered, by looking for it. */
export function PickScenario({
  place,
  scenario,
  names,
}: {
  place: string;
  scenario: string;
  names: string[];
}) {
  const go = useNavigate();
  const all = useQuery(scenarios).data?.all ?? 0;
  if (all > names.length) return <LookFor key={scenario} place={place} scenario={scenario} all={all} />;
  return (
    <label className="flex items-center gap-2">
      scenario
      <select
        id="scenario"
        className="select select-sm w-auto max-w-full"
        value={scenario}
        onChange={(e) => go(`${place}/${e.target.value}`)}
      >
        {names.map((s) => (
          <option key={s}>{s}</option>
        ))}
      </select>
    </label>
  );
}

function LookFor({ place, scenario, all }: { place: string; scenario: string; all: number }) {
  const go = useNavigate();
  const queries = useQueryClient();
  const [text, setText] = useState(scenario);
  const sought = text === scenario ? "" : text;
  const found = useQuery({ ...scenariosNamed(sought), placeholderData: keepPreviousData });
  const take = async (name: string) => {
    const { items } = await queries.fetchQuery(scenariosNamed(name));
    const is = items.find((s) => s.name === name) ?? items[0];
    if (is) go(`${place}/${is.name}`);
  };
  return (
    <label className="flex items-center gap-2">
      scenario
      <input
        id="scenario"
        type="search"
        list="scenarios-found"
        className="input input-sm w-56"
        title={`one of ${count(all)}: write a part of its name, and press Enter`}
        value={text}
        onChange={(e) => {
          setText(e.target.value);
          // An entry of the list was taken.
          if ((e.nativeEvent as InputEvent).inputType === "insertReplacementText") void take(e.target.value);
        }}
        onFocus={(e) => e.target.select()}
        onBlur={() => setText(scenario)}
        onKeyDown={(e) => e.key === "Enter" && sought !== "" && void take(sought)}
      />
      <datalist id="scenarios-found">
        {found.data?.items.map((s) => (
          <option key={s.name} value={s.name} />
        ))}
      </datalist>
    </label>
  );
}
