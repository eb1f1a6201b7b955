import type { Schemas } from "../../api/client";
import { money, percent, useNames } from "../../words";

/** The bill as one bar, by what the node time went to, with its floor marked. */
export function Spent({ o }: { o: Schemas["Outcome"] }) {
  const c = o.cost;
  const parts = [
    ...c.uses.map((u) => ({ key: u.use, name: useNames[u.use] ?? u.use, amount: u.perMonth.mean })),
    { key: "other", name: "fee and others", amount: c.parts.reduce((a, p) => a + p.perMonth.mean, 0) },
  ].filter((p) => p.amount > 0);
  const whole = c.perMonth.mean;
  if (whole <= 0) return null;
  const floor = Math.min(1, c.floorPerMonth.mean / whole);
  const words = parts.map((p) => `${p.name} ${money(p.amount, c.currency)}`).join(", ");
  return (
    <div className="mb-3">
      <div className="relative h-7" role="img" aria-label={`the bill: ${words}`}>
        <div className="flex h-full">
          {parts.map((p) => (
            <div
              key={p.key}
              className="h-full min-w-px"
              title={`${p.name}: ${money(p.amount, c.currency)}, ${percent(p.amount / whole, 1)}`}
              style={{ flexGrow: p.amount / whole, background: `var(--use-${p.key})` }}
            />
          ))}
        </div>
        {floor > 0 && (
          <div
            className="-top-1 absolute bottom-0 border-base-content border-l-2"
            style={{ left: `${100 * floor}%` }}
          />
        )}
      </div>
      <div className="mt-1 flex flex-wrap gap-x-4 gap-y-1 text-sm">
        {parts.map((p) => (
          <span key={p.key} className="flex items-center gap-1.5">
            <span className="inline-block size-3" style={{ background: `var(--use-${p.key})` }} />
            {p.name}{" "}
            <span className="opacity-75">{percent(p.amount / whole, p.amount < whole / 100 ? 1 : 0)}</span>
          </span>
        ))}
        {floor > 0 && (
          <span className="flex items-center gap-1.5">
            <span className="inline-block h-3 border-base-content border-l-2" /> the floor
          </span>
        )}
      </div>
    </div>
  );
}
