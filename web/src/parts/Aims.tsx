import { useState } from "react";

const kinds = {
  share: "a share of jobs is in time",
  mean: "a mean is short",
  bill: "the bill is small",
  never: "nobody waits too long",
  fails: "no job fails",
} as const;

type Kind = keyof typeof kinds;

const field = "input input-sm w-20 text-right";
const choice = "select select-sm w-auto";

/** What must be kept, put together by picking; each is a sentence, as the command line takes it. */
export function Aims({
  list,
  classes,
  none,
  set,
}: {
  list: string[];
  classes: string[];
  /** What it means that there are none. */
  none: string;
  set: (list: string[]) => void;
}) {
  const [kind, setKind] = useState<Kind>("share");
  const [share, setShare] = useState("95");
  const [whose, setWhose] = useState("");
  const [moment, setMoment] = useState("start");
  const [time, setTime] = useState("60");
  const [unit, setUnit] = useState("s");
  const [amount, setAmount] = useState("2500");
  const [per, setPer] = useState("month");
  const [cause, setCause] = useState("");
  const within = `${time.trim()}${unit}`;
  const text = {
    share: `${share.trim()} % of ${whose || "all jobs"} ${moment} within ${within}`,
    mean: `mean ${moment === "start" ? "start delay" : "lead time"}${whose && ` of ${whose}`} at most ${within}`,
    bill: `bill at most ${amount.trim()} a ${per}`,
    never: whose ? `no job of ${whose} waits over ${within}` : `nobody waits over ${within}`,
    fails: `no job${whose && ` of ${whose}`} fails${cause && ` for ${cause}`}`,
  }[kind];
  const numbers = { share: [share, time], mean: [time], bill: [amount], never: [time], fails: [] }[kind];
  const sound =
    numbers.every((n) => /^\d+(\.\d+)?$/.test(n.trim()) && Number(n) > 0) &&
    (kind !== "share" || Number(share) < 100);
  const pick = (label: string, value: string, change: (v: string) => void, options: [string, string][]) => (
    <select className={choice} aria-label={label} value={value} onChange={(e) => change(e.target.value)}>
      {options.map(([key, says]) => (
        <option key={key} value={key}>
          {says}
        </option>
      ))}
    </select>
  );
  const jobs = pick("whose jobs", whose, setWhose, [
    ["", "all jobs"],
    ...classes.map((c): [string, string] => [c, c]),
  ]);
  const number = (label: string, value: string, change: (v: string) => void) => (
    <input
      className={field}
      aria-label={label}
      inputMode="decimal"
      value={value}
      onChange={(e) => change(e.target.value)}
    />
  );
  const long = (
    <>
      {number("time", time, setTime)}
      {pick("unit of time", unit, setUnit, [
        ["s", "seconds"],
        ["m", "minutes"],
        ["h", "hours"],
      ])}
    </>
  );
  const when = (a: string, b: string) =>
    pick("which moment", moment, setMoment, [
      ["start", a],
      ["end", b],
    ]);
  return (
    <fieldset className="mt-3 text-sm" id="aims">
      <legend className="font-medium">What must be kept</legend>
      <ul className="mt-1 flex flex-wrap gap-2">
        {list.map((a) => (
          <li key={a} className="flex items-center gap-2 border border-base-300 bg-base-200 px-2 py-1">
            {a}
            <button
              type="button"
              className="cursor-pointer px-1 hover:underline"
              aria-label={`take away: ${a}`}
              onClick={() => set(list.filter((x) => x !== a))}
            >
              ×
            </button>
          </li>
        ))}
        {list.length === 0 && <li className="opacity-80">{none}</li>}
      </ul>
      <div className="mt-2 flex flex-wrap items-center gap-2">
        {pick("kind of aim", kind, (v) => setKind(v as Kind), Object.entries(kinds))}
        {kind === "share" && (
          <>
            {number("share in percent", share, setShare)} % of {jobs} {when("start", "end")} within {long}
          </>
        )}
        {kind === "mean" && (
          <>
            {when("start delay", "lead time")} of {jobs} at most {long}
          </>
        )}
        {kind === "bill" && (
          <>
            at most {number("amount", amount, setAmount)} a{" "}
            {pick("per", per, setPer, [
              ["month", "month"],
              ["year", "year"],
            ])}
          </>
        )}
        {kind === "never" && (
          <>
            {jobs} over {long}
          </>
        )}
        {kind === "fails" && (
          <>
            {jobs}{" "}
            {pick("cause", cause, setCause, [
              ["", "for any cause"],
              ["memory", "for memory"],
              ["disk", "for disk"],
              ["time", "for time"],
            ])}
          </>
        )}
        <button
          type="button"
          id="add-aim"
          className="btn btn-sm"
          disabled={!sound || list.includes(text)}
          onClick={() => set([...list, text])}
        >
          Add
        </button>
      </div>
    </fieldset>
  );
}
