import type { Said, Schemas } from "../../api/client";
import { percent } from "../../words";

const units: Record<string, string[]> = {
  work: ["ms", "s", "min", "h"],
  wait: ["ms", "s", "min", "h"],
  memory: ["B", "KiB", "MB", "MiB", "GB", "GiB"],
  disk: ["B", "KiB", "MB", "MiB", "GB", "GiB"],
};

/** The columns of a log: what each is taken to say, changeable. */
export function Columns({
  of,
  said,
  say,
}: {
  of: Schemas["LearnedJobs"];
  said: Said;
  say: (more: Said) => void;
}) {
  const told = (list: string[] | undefined, role: string) =>
    (list ?? []).filter((c) => !c.startsWith(`${role}=`));
  const mean = (column: string, was: string | undefined, role: string) => {
    let next = said.column ?? [];
    if (was) next = told(next, was);
    if (role) next = [...told(next, role), `${role}=${column}`];
    else if (was) next = [...next, `${was}=-`];
    say({ column: next.length ? next : undefined });
  };
  const measure = (role: string, unit: string) => {
    const next = told(said.unit, role);
    if (unit) next.push(`${role}=${unit}`);
    say({ unit: next.length ? next : undefined });
  };
  return (
    <div className="overflow-x-auto">
      <table className="table-sm table" id="columns">
        <thead>
          <tr>
            <th>column</th>
            <th>says</th>
            <th>written as</th>
            <th className="text-right">filled</th>
            <th>such as</th>
          </tr>
        </thead>
        <tbody>
          {of.columns.map((c, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: columns may have one name
            <tr key={`${c.name}${i}`} className={c.role ? "" : "opacity-70"}>
              <td className="font-medium">{c.name}</td>
              <td>
                <select
                  aria-label={`what ${c.name} says`}
                  className="select select-xs w-32"
                  value={c.role ?? ""}
                  onChange={(e) => mean(c.name, c.role, e.target.value)}
                >
                  <option value="">nothing</option>
                  {of.roles.map((r) => (
                    <option key={r.name} value={r.name} title={r.doc}>
                      {r.name}
                    </option>
                  ))}
                </select>
                {c.why && c.why !== "its name" && <span className="ml-2 text-xs opacity-80">{c.why}</span>}
              </td>
              <td>
                {c.role && units[c.role] ? (
                  <span className="flex items-center gap-2">
                    {c.form}
                    <select
                      aria-label={`unit of ${c.role}`}
                      className="select select-xs w-20"
                      value={(said.unit ?? []).find((u) => u.startsWith(`${c.role}=`))?.split("=")[1] ?? ""}
                      onChange={(e) => measure(c.role ?? "", e.target.value)}
                    >
                      <option value="">guess</option>
                      {units[c.role]?.map((u) => (
                        <option key={u}>{u}</option>
                      ))}
                    </select>
                  </span>
                ) : (
                  c.form
                )}
              </td>
              <td className="text-right tabular-nums">{percent(c.filled)}</td>
              <td className="max-w-72 truncate font-mono text-xs" title={c.samples.join("\n")}>
                {c.samples.join(" · ")}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
