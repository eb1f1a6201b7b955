import type { Schemas } from "../../../api/client";
import type { SizeQuestion } from "../../../api/queries/templates";
import { useAddress } from "../../../parts/useAddress";
import { count } from "../../../words";

const shares = [0.9, 0.95, 0.99, 0.995, 0.999];
const stretches = [1, 1.02, 1.05, 1.1, 1.2, 1.5, 2];
const halves = [
  ["0s", "all count alike"],
  ["7d", "7 days"],
  ["30d", "30 days"],
  ["90d", "90 days"],
];

/** What is asked of sizing; every answer is a part of the address. */
export function Question({
  question,
  classes,
  clusters,
}: {
  question: SizeQuestion;
  classes: Schemas["ClassOfUsage"][];
  clusters: string[]; // to choose from; none where there is one
}) {
  const { instead } = useAddress();
  const set = (key: string, value: string) => instead({ [key]: value });
  const known = classes.filter((c) => c.class);
  return (
    <div className="flex flex-wrap gap-x-5 gap-y-2 text-sm">
      {known.length > 0 && (
        <Choice name="runs of" id="class" value={question.class ?? ""} set={set}>
          <option value="">all classes</option>
          {known.map((c) => (
            <option key={c.class} value={c.class}>
              {c.class} ({count(c.runs)})
            </option>
          ))}
        </Choice>
      )}
      {clusters.length > 0 && (
        <Choice name="on nodes of" id="cluster" value={question.cluster ?? ""} set={set}>
          {clusters.map((c) => (
            <option key={c} value={c}>
              {c}
            </option>
          ))}
        </Choice>
      )}
      <Choice name="memory for" id="share" value={String(question.share ?? 0.99)} set={set}>
        {shares.map((s) => (
          <option key={s} value={s}>
            {+(100 * s).toFixed(2)} % of runs
          </option>
        ))}
      </Choice>
      <Choice name="confidence" id="sure" value={String(question.sure ?? 0.95)} set={set}>
        {[0.9, 0.95, 0.99].map((s) => (
          <option key={s} value={s}>
            {100 * s} %
          </option>
        ))}
      </Choice>
      <Choice name="work may take" id="stretch" value={String(question.stretch ?? 1.1)} set={set}>
        {stretches.map((s) => (
          <option key={s} value={s}>
            {s} × as long
          </option>
        ))}
      </Choice>
      <Choice name="a run counts half after" id="halfLife" value={question.halfLife ?? "30d"} set={set}>
        {halves.map(([value, words]) => (
          <option key={value} value={value}>
            {words}
          </option>
        ))}
      </Choice>
    </div>
  );
}

function Choice({
  name,
  id,
  value,
  set,
  children,
}: {
  name: string;
  id: string;
  value: string;
  set: (key: string, value: string) => void;
  children: React.ReactNode;
}) {
  return (
    <label className="flex items-center gap-2">
      {name}
      <select
        id={id}
        className="select select-sm w-auto"
        value={value}
        onChange={(e) => set(id, e.target.value)}
      >
        {children}
      </select>
    </label>
  );
}
