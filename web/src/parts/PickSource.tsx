/** Chooses where jobs that came are from: the live records, or the workload's own. */
export function PickSource({
  before,
  live,
  set,
}: {
  before: string;
  live: boolean;
  set: (live: boolean) => void;
}) {
  return (
    <label className="flex items-center gap-2">
      {before}
      <select
        id="source"
        className="select select-sm w-auto"
        value={live ? "live" : "own"}
        onChange={(e) => set(e.target.value === "live")}
      >
        <option value="live">the live records</option>
        <option value="own">its workload's recorded jobs</option>
      </select>
    </label>
  );
}
