import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import { api, cancel, take, type Work } from "../api/client";
import { unfinished } from "../api/queries/service";
import { pathOfWork, titleOfWork } from "../parts/places";
import { percent } from "../words";

/** How many that ended are still told. */
const mostEnded = 5;

/** What runs, how far it has come, and what ended while one was here: it follows one around. */
export function Tray() {
  const list = useQuery(unfinished);
  const queries = useQueryClient();
  const [ended, setEnded] = useState<Work[]>([]);
  const [open, setOpen] = useState(false);
  const [fault, setFault] = useState("");
  const known = useRef(new Set<number>());
  const items = list.data?.items ?? [];
  useEffect(() => {
    if (!list.data) return;
    const now = new Set(list.data.items.map((w) => w.id));
    const over = [...known.current].filter((id) => !now.has(id));
    known.current = now;
    for (const id of over)
      void (async () => {
        try {
          const w = take(await api.GET("/api/v1/work/{id}", { params: { path: { id } } }));
          setEnded((e) => [w, ...e.filter((x) => x.id !== w.id)].slice(0, mostEnded));
          await queries.invalidateQueries({ queryKey: ["scenarios"] });
          await queries.invalidateQueries({ queryKey: ["outcomes"] });
        } catch {
          // dropped in the meantime
        }
      })();
  }, [list.data, queries]);
  if (items.length === 0 && ended.length === 0) return null;
  return (
    <details id="tray" className="relative" open={open} onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="link link-hover list-none">
        <span role="status">
          {items.length > 0
            ? `${items.length} underway`
            : ended.some((w) => w.state === "failed")
              ? "done, one failed"
              : "done"}
        </span>
      </summary>
      <div className="absolute right-0 z-20 mt-2 w-96 max-w-[90vw] border border-base-300 bg-base-100 p-3 shadow">
        <ul className="space-y-3">
          {items.map((w) => (
            <li key={w.id}>
              <div className="flex items-baseline justify-between gap-3">
                <Link to={pathOfWork(w)} className="link break-all">
                  {titleOfWork(w)}
                </Link>
                <button
                  type="button"
                  className="link text-xs"
                  aria-label={`cancel ${titleOfWork(w)}`}
                  onClick={() =>
                    cancel(w.id).catch((p) => setFault(p instanceof Error ? p.message : String(p)))
                  }
                >
                  Cancel
                </button>
              </div>
              <div className="flex items-center gap-2 text-xs">
                <progress
                  className="progress grow"
                  value={w.progress}
                  max={1}
                  aria-label={`progress of ${titleOfWork(w)}`}
                />
                <span className="whitespace-nowrap">
                  {w.state === "queued" ? "waits for its turn" : percent(w.progress)}
                </span>
              </div>
            </li>
          ))}
          {ended.map((w) => (
            <li key={w.id} className="flex items-baseline justify-between gap-3">
              <Link to={pathOfWork(w)} className="link break-all">
                {titleOfWork(w)}
              </Link>
              <span className={`text-xs ${w.state === "failed" ? "text-error" : ""}`}>{w.state}</span>
            </li>
          ))}
        </ul>
        {fault && <p className="mt-2 text-error text-sm">{fault}</p>}
        {ended.length > 0 && (
          <button type="button" className="link mt-3 text-xs" onClick={() => setEnded([])}>
            Clear what is done
          </button>
        )}
      </div>
    </details>
  );
}
