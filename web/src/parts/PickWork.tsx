import type { Work } from "../api/client";
import { here } from "../words";

/** Chooses which of a place's works is shown, where there are several; note adds to what one is called. */
export function PickWork({
  list,
  id,
  choose,
  note,
}: {
  list: Work[];
  id: number;
  choose: (id: number) => void;
  note?: (w: Work) => string;
}) {
  if (list.length < 2) return null;
  return (
    <label className="flex items-center gap-2">
      shown
      <select
        id="which"
        className="select select-sm w-auto"
        value={id}
        onChange={(e) => choose(Number(e.target.value))}
      >
        {list.map((w) => (
          <option key={w.id} value={w.id}>
            {w.id}, {here(w.asked)}
            {note?.(w)}
          </option>
        ))}
      </select>
    </label>
  );
}
