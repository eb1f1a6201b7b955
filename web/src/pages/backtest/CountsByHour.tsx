import { useMemo } from "react";
import type { Schemas } from "../../api/client";
import { few } from "../../words";
import Week from "../forecast/Week";

/** Agents or nodes by hour of the week: as recorded, beside what is predicted. */
export default function CountsByHour({ c }: { c: Schemas["Counted"] }) {
  const [expected, came] = useMemo(() => {
    const by = new Map(c.hours.map((h) => [h.hour, h]));
    const all = Array.from({ length: 168 }, (_, h) => by.get(h));
    return [
      all.map((h) => (h ? { low: h.low, mid: h.predicted, high: h.high } : null)),
      all.map((h) => h?.observed ?? null),
    ];
  }, [c]);
  return (
    <Week
      label={c.what}
      expected={expected}
      came={came}
      write={few}
      colour={c.what === "nodes" ? "--phase-image" : "--color-primary"}
      height={240}
      names={["predicted", "by chance", "recorded"]}
    />
  );
}
