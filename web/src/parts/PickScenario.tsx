import { useNavigate } from "react-router";

/** Chooses the scenario that a place is about. */
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
