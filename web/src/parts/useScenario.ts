import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { useNavigate, useParams } from "react-router";
import type { Schemas, Work } from "../api/client";
import { scenario as scenarioQuery, scenarios } from "../api/queries/documents";
import type { weighings } from "../api/queries/works";
import { useTitle } from "./useTitle";

/** The scenario that a place is about, with all there are and the place's work on it. Where none is named it goes to
 *  that of the newest work, else to the first; `none` says that there is not one. */
export function useScenario(
  place: string,
  title: string,
  works: typeof weighings,
): {
  scenario: string;
  all?: Schemas["ScenarioBrief"][];
  list?: Work[];
  error: unknown;
  none: boolean;
} {
  const { scenario = "" } = useParams();
  const go = useNavigate();
  const all = useQuery(scenarios);
  const list = useQuery(works(scenario));
  const names = all.data?.items.map((s) => s.name);
  const beyond = scenario !== "" && names !== undefined && !names.includes(scenario);
  const own = useQuery({ ...scenarioQuery(scenario), enabled: beyond });
  const first = list.data && names && (names.find((n) => n === list.data.items[0]?.about) ?? names[0]);
  useTitle(scenario ? `${title}, ${scenario}` : title);
  useEffect(() => {
    if (!scenario && first) go(`${place}/${first}`, { replace: true });
  }, [place, scenario, first, go]);
  return {
    scenario,
    all: beyond ? own.data && [...(all.data?.items ?? []), own.data] : all.data?.items,
    list: list.data?.items,
    error: all.error ?? list.error ?? (beyond ? own.error : null),
    none: all.data !== undefined && list.data !== undefined && !first,
  };
}
