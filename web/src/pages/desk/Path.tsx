import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { path } from "../../api/queries/documents";
import { Section, Trouble } from "../../parts/Section";
import { useAddress } from "../../parts/useAddress";

type Step = Schemas["Stage"];

const marks: Record<Step["state"], { sign: string; word: string; look: string }> = {
  done: { sign: "●", word: "done", look: "text-primary" },
  begun: { sign: "◐", word: "begun", look: "text-warning" },
  missing: { sign: "○", word: "to do", look: "opacity-70" },
};

/** Where this browser remembers that the steps are folded. */
const folded = "path-folded";

/** The work on one scenario in its order: what is known, what is missing, what to do next, how sure the whole is. */
export function Path({ names }: { names: string[] }) {
  const { query, instead } = useAddress();
  const scenario = query.get("path") ?? "";
  const found = useQuery(path(scenario));
  const [shut, setShut] = useState(() => localStorage.getItem(folded) === "yes");
  if (found.error) return <Trouble error={found.error} />;
  const p = found.data;
  const next = p?.steps.find((s) => s.step === p.next);
  const turn = () => {
    localStorage.setItem(folded, shut ? "" : "yes");
    setShut(!shut);
  };
  return (
    <Section
      title="The way to a decision"
      id="path"
      aside={
        <span className="flex flex-wrap items-center gap-3">
          <button type="button" id="fold" className="link" aria-expanded={!shut} onClick={turn}>
            {shut ? "All steps" : "Fold"}
          </button>
          {names.length > 0 && (
            <label className="flex items-center gap-2">
              on
              <select
                id="path-of"
                className="select select-xs w-48"
                value={p?.scenario ?? scenario}
                onChange={(e) => instead({ path: e.target.value })}
              >
                {names.map((n) => (
                  <option key={n}>{n}</option>
                ))}
              </select>
            </label>
          )}
        </span>
      }
    >
      <ol className="divide-y divide-base-300 border-base-300 border-y">
        {p?.steps.map(
          (s, i) => (!shut || s === next) && <Row key={s.step} step={s} number={i + 1} next={s === next} />,
        )}
      </ol>
      {p && <p className="mt-2 text-sm">How sure: {p.sure}</p>}
    </Section>
  );
}

function Row({ step, number, next }: { step: Step; number: number; next: boolean }) {
  const mark = marks[step.state];
  return (
    <li
      className={`grid grid-cols-[1.5rem_minmax(0,1fr)] gap-x-3 py-1.5 sm:grid-cols-[1.5rem_12rem_minmax(0,1fr)_auto] ${next ? "bg-base-200" : ""}`}
      aria-current={next ? "step" : undefined}
    >
      <span className={`text-center ${mark.look}`} role="img" aria-label={mark.word}>
        {mark.sign}
      </span>
      <span className="font-medium">
        {number}. {step.title}
      </span>
      <span className="col-start-2 min-w-0 text-sm [overflow-wrap:anywhere] sm:col-start-3">
        {step.known && (
          <span className="line-clamp-2">
            {step.state === "done" && step.page ? (
              <Link className="hover:underline" to={step.page}>
                {step.known}
              </Link>
            ) : (
              step.known
            )}
          </span>
        )}
        {step.missing && (
          <span className={step.known ? "block font-medium" : "opacity-85"}>{step.missing}</span>
        )}
      </span>
      <span
        className="col-start-2 min-w-0 max-w-60 truncate text-sm sm:col-start-4 sm:text-right"
        title={step.next}
      >
        {step.next && step.page && (
          <Link className={`link ${next ? "link-primary font-medium" : ""}`} to={step.page}>
            {step.next}
          </Link>
        )}
      </span>
    </li>
  );
}
