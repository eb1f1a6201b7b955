import { useQuery } from "@tanstack/react-query";
import { difference, revisions } from "../../api/queries/documents";
import { Diff } from "../../parts/Diff";
import { Trouble, Waiting } from "../../parts/Section";
import { useAddress } from "../../parts/useAddress";
import { here } from "../../words";

/** The template's revisions, and what changed from one to the next. */
export function Revisions({ name }: { name: string }) {
  const list = useQuery(revisions("PodTemplate", name));
  const { query, change } = useAddress();
  const newest = list.data?.items[0]?.revision ?? 1;
  const to = Number(query.get("to") ?? newest);
  const from = Number(query.get("from") ?? Math.max(to - 1, 1));
  const diff = useQuery(difference("PodTemplate", name, from, to));
  if (list.error) return <Trouble error={list.error} />;
  if (!list.data) return <Waiting what="revisions" />;
  const show = (from: number, to: number) => change({ from, to });
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-6 md:grid-cols-[18rem_minmax(0,1fr)]">
      <ol className="space-y-1 text-sm">
        {list.data.items.map((r) => (
          <li key={r.revision} className={r.revision === to ? "border-primary border-l-2 pl-2" : "pl-2.5"}>
            <button
              type="button"
              className="link link-hover text-left"
              onClick={() => show(Math.max(r.revision - 1, 1), r.revision)}
            >
              <b>Revision {r.revision}</b>, {here(r.stored)}, by {r.by}
            </button>
          </li>
        ))}
      </ol>
      <div>
        {to === from ? (
          <p className="text-sm">This is the first revision; there is nothing to hold it against.</p>
        ) : (
          <>
            <p className="mb-2 text-sm">
              From revision {from} to {to}:
            </p>
            {diff.error && <Trouble error={diff.error} />}
            {diff.data && <Diff text={diff.data.text} />}
          </>
        )}
      </div>
    </div>
  );
}
