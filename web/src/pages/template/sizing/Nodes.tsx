import type { Schemas } from "../../../api/client";
import { amount, bytes } from "../../../words";

type Point = Schemas["Point"];
type Amounts = Schemas["Amounts"];

const lanes = [
  { key: "cpu", name: "CPU", write: (x: number) => `${+x.toFixed(2)} cores` },
  { key: "memory", name: "memory", write: bytes },
  { key: "disk", name: "disk", write: bytes },
] as const;

const hatch = {
  backgroundImage: "repeating-linear-gradient(135deg, var(--color-warning) 0 1px, transparent 1px 6px)",
};

/** A full node today and with the better requests, to scale: agents as tiles, what is stranded hatched. */
export function Nodes({ of }: { of: Schemas["Advice"] }) {
  return (
    <div>
      <div className="grid grid-cols-1 gap-6 md:grid-cols-2">
        <Full name="today" point={of.now} of={of} />
        <Full name="better" point={of.best} of={of} />
      </div>
      <ul className="mt-3 flex flex-wrap gap-x-5 gap-y-1 text-sm">
        <li className="flex items-center gap-1.5">
          <span className="inline-block h-3 w-5" style={{ background: "var(--phase-work)" }} /> an agent
        </li>
        <li className="flex items-center gap-1.5">
          <span className="inline-block h-3 w-5 border border-base-300" style={hatch} /> stranded
        </li>
        <li className="flex items-center gap-1.5">
          <span className="inline-block h-3 w-5 bg-base-300" /> system and DaemonSets
        </li>
      </ul>
    </div>
  );
}

function Full({ name, point, of }: { name: string; point: Point; of: Schemas["Advice"] }) {
  return (
    <div>
      <p className="mb-2">
        <b>{name}:</b>{" "}
        {point.agents > 0
          ? `${point.agents} agents, ${of.currency} ${point.perHour.toFixed(3)} an agent-hour`
          : "not one fits"}
      </p>
      <div className="border border-base-300 p-2">
        {lanes.map((l) => (
          <Lane key={l.key} lane={l} node={of.node} room={of.room} point={point} />
        ))}
      </div>
    </div>
  );
}

function Lane({
  lane,
  node,
  room,
  point,
}: {
  lane: (typeof lanes)[number];
  node: Amounts;
  room: Amounts;
  point: Point;
}) {
  const whole = amount(node[lane.key]);
  if (!(whole > 0)) return null;
  const free = amount(room[lane.key]);
  const { agents } = point;
  const each = amount(point.pod[lane.key]);
  const left = amount(point.left[lane.key]);
  const share = (x: number) => `${(100 * x) / whole}%`;
  const says = `${lane.name}: ${lane.write(whole)} in all, ${lane.write(whole - free)} for the system, ${agents} agents of ${lane.write(each)}, ${lane.write(left)} stranded`;
  return (
    <div className="py-1">
      <p className="flex justify-between text-xs">
        <span>
          {lane.name}, {lane.write(whole)}
        </span>
        <span className="opacity-80">{lane.write(left)} stranded</span>
      </p>
      <div className="flex h-5 w-full" role="img" aria-label={says} title={says}>
        <span className="h-full bg-base-300" style={{ width: share(whole - free) }} />
        {Array.from({ length: agents }, (_, i) => i).map((i) => (
          <span
            key={i}
            className="h-full border-base-100 border-r-2"
            style={{ width: share(each), background: "var(--phase-work)" }}
          />
        ))}
        <span className="h-full border border-base-300" style={{ ...hatch, width: share(left) }} />
      </div>
    </div>
  );
}
