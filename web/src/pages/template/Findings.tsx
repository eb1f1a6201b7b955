import type { Schemas } from "../../api/client";
import { Section } from "../../parts/Section";
import { severityLook, severityWords, Tally } from "./Tally";

type Finding = Schemas["Finding"];

/** What check has to say, with the way to the line and the fix. */
export function Findings({
  list,
  goTo,
  fix,
}: {
  list: Finding[];
  goTo: (line: number) => void;
  fix: (findings: Finding[]) => void;
}) {
  const certain = list.filter((f) => f.fix && f.fix.length > 0);
  return (
    <Section
      title="Findings"
      id="findings"
      aside={
        certain.length > 1 ? (
          <button type="button" id="fix-all" className="btn btn-sm" onClick={() => fix(certain)}>
            Mend all {certain.length} that are certain
          </button>
        ) : (
          <Tally findings={list} />
        )
      }
    >
      {list.length === 0 && <p>Nothing to say: as far as can be told, it will work.</p>}
      <ol className="space-y-3 [overflow-wrap:anywhere]">
        {list.map((f) => (
          <li
            key={`${f.id}${f.path}${f.scenario}${f.says}`}
            data-finding={f.id}
            className="border-base-300 border-l-2 pl-3"
          >
            <p className="flex flex-wrap items-baseline gap-x-3 text-sm">
              <span className={severityLook(f.severity)}>{severityWords(f.severity)}</span>
              <span className="font-medium">{f.title}</span>
              <button type="button" className="link font-mono text-xs" onClick={() => goTo(f.line ?? 1)}>
                line {f.line ?? 1}
              </button>
              <span className="font-mono text-xs opacity-75">{f.id}</span>
            </p>
            <p>
              {f.scenario && (
                <>
                  In <b>{f.scenario}</b>:{" "}
                </>
              )}
              {f.says}
            </p>
            <p className="flex flex-wrap items-baseline gap-x-3">
              <span>
                <span aria-hidden="true">→ </span>
                {f.do}
              </span>
              {f.fix && f.fix.length > 0 && (
                <button type="button" className="btn btn-xs" onClick={() => fix([f])}>
                  Mend it
                </button>
              )}
            </p>
          </li>
        ))}
      </ol>
    </Section>
  );
}
