import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link } from "react-router";
import { hereZone, learnJobs, type Said, type Schemas } from "../api/client";
import { DropLog } from "../parts/DropLog";
import { Notice, Section, Trouble } from "../parts/Section";
import { useTitle } from "../parts/useTitle";
import { asWritten, count } from "../words";
import { Classes } from "./learn/Classes";
import { Columns } from "./learn/Columns";
import { Week } from "./learn/Week";

type Learned = Schemas["LearnedJobs"];

/** A job log as it is becomes a workload: what was understood, column by column, then what came of it. */
export function Learn() {
  useTitle("Learn");
  const queries = useQueryClient();
  const [log, setLog] = useState<File | null>(null);
  const [said, setSaid] = useState<Said>({ zone: hereZone });
  const [name, setName] = useState("");
  const [got, setGot] = useState<Learned | null>(null);
  const [error, setError] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const asked = useRef(0);

  const ask = async (file: File, next: Said) => {
    const turn = ++asked.current;
    setBusy(true);
    setError(null);
    try {
      const answer = await learnJobs(file, { ...next, file: file.name });
      if (turn !== asked.current) return; // something else was said meanwhile
      setGot(answer);
      if (!next.name) setName(answer.name);
      if (answer.stored) await queries.invalidateQueries();
    } catch (problem) {
      if (turn === asked.current) setError(problem);
    }
    if (turn === asked.current) setBusy(false);
  };
  const take = (file: File) => {
    const next = { zone: said.zone };
    setLog(file);
    setSaid(next);
    setName("");
    setGot(null);
    void ask(file, next);
  };
  const say = (more: Said) => {
    const next = { ...said, ...more };
    setSaid(next);
    if (log) void ask(log, { ...next, name: name || undefined });
  };
  const learned = got && !got.refused && got.classes.length > 0;
  return (
    <>
      <div className="mt-8">
        <h1 className="font-semibold text-2xl">Learn from a job log</h1>
        <p className="max-w-3xl">
          Any table with a row for each job will do: text with any delimiter, JSON or Parquet, packed or not.
          What its columns say is guessed and shown; nothing is stored before you say so.
        </p>
      </div>
      <div className="mt-4">
        <DropLog log={log} take={take} />
      </div>
      {log ? (
        <Saying said={said} say={say} />
      ) : (
        <p className="mt-3 max-w-3xl text-sm opacity-80">
          What is needed: when each job came, or began, and how long it worked, or when it ended. Names,
          branches, labels, results and peaks of memory make more of it. On the command line, for logs beyond
          128 MiB and several files: <code>tachyphor learn jobs FILE...</code>
        </p>
      )}
      {busy && <p className="mt-3 opacity-80">Learning …</p>}
      {error !== null && <Trouble error={error} />}
      {got?.refused && (
        <div id="refused">
          <Notice>
            {got.refused}
            {got.badRows.slice(0, 5).map((b) => (
              <span key={b.line} className="mt-1 block font-mono text-sm">
                line {b.line}
                {b.column && `, ${b.column}`}
                {b.found && `: ${b.found}`}: {b.reason}
              </span>
            ))}
          </Notice>
        </div>
      )}
      {got && got.columns.length > 0 && (
        <Section title="Columns" aside="what each says of a job; choose otherwise where it is wrong">
          <Columns of={got} said={said} say={say} />
          <ul className="mt-3 text-sm">
            {got.guesses.map((g) => (
              <li key={g.what + g.is}>
                {g.what}: <b className="font-medium">{g.is}</b> <span className="opacity-80">({g.why})</span>
              </li>
            ))}
          </ul>
        </Section>
      )}
      {learned && (
        <>
          <Section title="Jobs" aside={`${count(got.rows)} rows, each of them counted once`}>
            <p id="jobs">
              <b>{count(got.jobs)}</b> jobs from {asWritten(got.from)} to {asWritten(got.to)}.
            </p>
            <ul className="mt-1 text-sm">
              {[...got.endings, ...got.left].map((c) => (
                <li key={c.what}>
                  {count(c.rows)} {c.what}: {c.says}.
                </li>
              ))}
              {got.notes.map((n) => (
                <li key={n}>{n}</li>
              ))}
            </ul>
          </Section>
          <Section title="When they come" aside="jobs an hour, by hour of the week">
            <Week of={got} />
          </Section>
          <Section title="Classes" aside="jobs alike in what they want and how they behave">
            <Classes of={got} />
          </Section>
          <form
            className="mt-8 flex flex-wrap items-center gap-3 border-base-300 border-t pt-4"
            onSubmit={(e) => {
              e.preventDefault();
              if (log) void ask(log, { ...said, into: name });
            }}
          >
            <label htmlFor="name">Workload</label>
            <input
              id="name"
              className="input input-sm w-64"
              value={name}
              onChange={(e) => setName(e.target.value)}
            />
            <button id="store" type="submit" className="btn btn-primary btn-sm" disabled={busy || !name}>
              Store
            </button>
            {got.stored && (
              <span role="status">
                {got.stored.name} is stored as revision {got.stored.revision}.{" "}
                <Link className="link" to={`/start?workload=${got.stored.name}`}>
                  Try a manifest on it
                </Link>
                , or name it in a scenario: <code>workload: {got.stored.name}</code>
              </span>
            )}
          </form>
        </>
      )}
    </>
  );
}

/** What cannot be seen in the columns: zone, order of dates, words, rows. */
function Saying({ said, say }: { said: Said; say: (more: Said) => void }) {
  const [zone, setZone] = useState(said.zone ?? "");
  const [words, setWords] = useState("");
  return (
    <div className="mt-3 flex flex-wrap items-end gap-x-4 gap-y-2 text-sm">
      <label className="flex flex-col">
        zone of times without one
        <input
          id="zone"
          className="input input-sm w-44"
          value={zone}
          onChange={(e) => setZone(e.target.value)}
          onBlur={() => zone !== said.zone && say({ zone })}
        />
      </label>
      <label className="flex flex-col">
        dates
        <select
          id="dates"
          className="select select-sm w-36"
          value={said.dates ?? ""}
          onChange={(e) => say({ dates: e.target.value || undefined })}
        >
          <option value="">by the column</option>
          <option value="day-first">day first</option>
          <option value="month-first">month first</option>
        </select>
      </label>
      <label className="flex flex-col">
        a comma in numbers separates
        <select
          id="decimal"
          className="select select-sm w-36"
          value={said.decimal ?? ""}
          onChange={(e) => say({ decimal: e.target.value || undefined })}
        >
          <option value="">by the column</option>
          <option value="point">thousands</option>
          <option value="comma">a fraction</option>
        </select>
      </label>
      <label className="flex flex-col">
        words of results, as in WORD=done
        <input
          id="words"
          className="input input-sm w-56"
          placeholder="done, failed, cut, never, underway"
          value={words}
          onChange={(e) => setWords(e.target.value)}
          onBlur={() => {
            const result = words.split(/[\s,]+/).filter(Boolean);
            if (result.join() !== (said.result ?? []).join())
              say({ result: result.length ? result : undefined });
          }}
        />
      </label>
      <label className="flex items-center gap-2 pb-1">
        <input
          id="skip"
          type="checkbox"
          className="checkbox checkbox-sm"
          checked={said.skipBad ?? false}
          onChange={(e) => say({ skipBad: e.target.checked || undefined })}
        />
        leave out rows that cannot be read
      </label>
    </div>
  );
}
