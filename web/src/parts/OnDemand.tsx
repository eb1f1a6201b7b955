import { useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { over, type Work } from "../api/client";
import { Section, Trouble } from "./Section";
import { Underway } from "./Underway";

/** A part of a page that is worked out when it is asked for: the way to ask, how far it has come, what came of it. */
export function OnDemand({
  title,
  aside,
  id,
  queryKey,
  list,
  mine,
  ask,
  button,
  about,
  failed,
  children,
}: {
  title: string;
  aside: string;
  id?: string;
  /** Under what lists and results of this work are kept. */
  queryKey: string;
  list: { data?: { items: Work[] }; error: unknown };
  /** Which work of the list is meant; the newest counts. */
  mine: (w: Work) => boolean;
  ask: () => Promise<unknown>;
  button: { id: string; says: string };
  about: string;
  failed: string;
  /** What came of it. */
  children: (done: Work) => ReactNode;
}) {
  const queries = useQueryClient();
  const [error, setError] = useState<unknown>(null);
  const kept = list.data?.items.find(mine);
  const again = !kept || kept.state === "failed" || kept.state === "cancelled";
  const press = async () => {
    setError(null);
    try {
      await ask();
      await queries.invalidateQueries({ queryKey: [queryKey] });
    } catch (problem) {
      setError(problem);
    }
  };
  return (
    <Section id={id} title={title} aside={aside}>
      {error !== null && <Trouble error={error} />}
      {list.error != null && <Trouble error={list.error} />}
      {kept?.state === "failed" && <Trouble error={new Error(`${failed}: ${kept.error}`)} />}
      {list.data && again && (
        <p className="flex max-w-3xl flex-wrap items-center gap-3">
          <button type="button" id={button.id} className="btn btn-sm" onClick={press}>
            {button.says}
          </button>
          <span className="text-sm opacity-80">{about}</span>
        </p>
      )}
      {kept && !again && (over(kept) ? children(kept) : <Underway first={kept} queryKey={queryKey} />)}
    </Section>
  );
}
