import { Link } from "react-router";
import type { Answer } from "./useText";

const most = 8;

/** What differs from what is stored, and what has changed since the newest outcome, in words. */
export function Changed({ answer, changed }: { answer: Answer; changed: boolean }) {
  const since = answer.since && answer.since.sentences.length > 0 ? answer.since : null;
  const alike = since !== null && since.sentences.join("\n") === answer.sentences.join("\n");
  const outcome = since && (
    <>
      since{" "}
      <Link className="link" to={`/outcomes/${since.outcome}`}>
        outcome {since.outcome}
      </Link>
    </>
  );
  return (
    <section id="changed" aria-label="What has changed" className="text-sm">
      {changed && (
        <>
          <h2 className="font-semibold">Changed{alike && <> {outcome}</>}, not stored</h2>
          {answer.sentences.length === 0 ? (
            <p className="opacity-80">Only how it is written: it says the same.</p>
          ) : (
            <Sentences list={answer.sentences} />
          )}
        </>
      )}
      {since && !(changed && alike) && (
        <>
          <h2 className={`font-semibold ${changed ? "mt-3" : ""}`}>Changed {outcome}</h2>
          <Sentences list={since.sentences} />
        </>
      )}
    </section>
  );
}

function Sentences({ list }: { list: string[] }) {
  return (
    <ul className="list-disc pl-5">
      {list.slice(0, most).map((s) => (
        <li key={s} className="break-words">
          {s}
        </li>
      ))}
      {list.length > most && <li>and {list.length - most} more</li>}
    </ul>
  );
}
