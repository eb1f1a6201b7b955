import { duration } from "../words";

/** Percentiles that a spread has: 5, 25, 50, 75 and 95. */
type Five = number[];

const wide = 180;
const edge = 6;

/**
 * What was measured (dots at its percentiles) over what the document says (a bar from its 25th to
 * its 75th percentile, a line from the 5th to the 95th), on one scale of time from 0.
 */
export function Spread({ data, stands }: { data?: Five | null; stands?: Five | null }) {
  if (!stands || stands.length < 5) return <>–</>;
  const most = Math.max(...stands, ...(data ?? []), 1);
  const x = (ns: number) => edge + (ns / most) * (wide - 2 * edge);
  const [low = 0, from = 0, middle = 0, to = 0, high = 0] = stands;
  const words = (f: Five) => f.map((ns) => duration(ns)).join(", ");
  const says = data?.length
    ? `Measured: ${words(data)} at 5, 25, 50, 75 and 95 %. The document: ${words(stands)}.`
    : `The document: ${words(stands)} at 5, 25, 50, 75 and 95 %. Nothing was measured.`;
  return (
    <svg width={wide} height="30" role="img" aria-label={says} className="align-middle">
      <title>{says}</title>
      <line x1={edge} x2={wide - edge} y1="27.5" y2="27.5" stroke="currentColor" opacity="0.25" />
      <line x1={x(low)} x2={x(high)} y1="19" y2="19" stroke="currentColor" opacity="0.6" />
      <rect
        x={x(from)}
        y="15"
        width={Math.max(1.5, x(to) - x(from))}
        height="8"
        fill="currentColor"
        opacity="0.35"
      />
      <line x1={x(middle)} x2={x(middle)} y1="13" y2="25" stroke="currentColor" strokeWidth="1.5" />
      {data?.map((ns, i) => (
        <circle
          // biome-ignore lint/suspicious/noArrayIndexKey: five percentiles, always in this order
          key={i}
          cx={x(ns)}
          cy="6"
          r={i === 2 ? 4 : 2.5}
          className="fill-primary"
        />
      ))}
    </svg>
  );
}
