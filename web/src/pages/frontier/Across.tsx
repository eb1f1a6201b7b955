/** Which workloads every variant must hold on. */
export function Across({
  list,
  chosen,
  set,
  none,
}: {
  list: string[];
  chosen: string[];
  set: (names: string[]) => void;
  none: string;
}) {
  return (
    <fieldset className="mt-3 text-sm" id="across">
      <legend className="font-medium">On what it must hold</legend>
      <p className="mt-1 opacity-80">
        {chosen.length === 0 && none}
        {chosen.length === 1 && "this workload in place of the scenario's own"}
        {chosen.length > 1 && "each of these by itself"}
      </p>
      <div className="mt-1 flex max-h-32 flex-wrap gap-x-5 gap-y-1 overflow-y-auto">
        {list.map((name) => (
          <label key={name} className="flex items-center gap-2">
            <input
              type="checkbox"
              className="checkbox checkbox-xs"
              checked={chosen.includes(name)}
              onChange={(e) => set(e.target.checked ? [...chosen, name] : chosen.filter((x) => x !== name))}
            />
            {name}
          </label>
        ))}
      </div>
    </fieldset>
  );
}
