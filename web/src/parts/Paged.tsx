import type { UseInfiniteQueryResult } from "@tanstack/react-query";
import { count } from "../words";

/** From how many entries on one may look for some of them. */
const few = 12;

/** Where one looks for entries of a list by a text. */
export function Look({
  id,
  label,
  text,
  all,
  look,
}: {
  id: string;
  label: string;
  text: string;
  all: number;
  look: (text: string) => void;
}) {
  if (all <= few && text === "") return null;
  return (
    <p className="mb-2 text-sm">
      <label htmlFor={id}>{label} </label>
      <input
        id={id}
        type="search"
        className="input input-sm w-48"
        defaultValue={text}
        onKeyDown={(e) => e.key === "Enter" && look(e.currentTarget.value.trim())}
        onBlur={(e) => e.target.value.trim() !== text && look(e.target.value.trim())}
      />
    </p>
  );
}

/** How many entries are there, and the way to the next page. */
export function More({
  shown,
  all,
  list,
}: {
  shown: number;
  all: number;
  list: Pick<UseInfiniteQueryResult, "isFetchingNextPage" | "fetchNextPage">;
}) {
  if (all <= shown) return null;
  return (
    <p className="mt-2 text-sm">
      <button
        type="button"
        id="more"
        className="btn btn-sm"
        disabled={list.isFetchingNextPage}
        onClick={() => list.fetchNextPage()}
      >
        {Math.min(all - shown, 100)} more
      </button>{" "}
      {count(shown)} of {count(all)}
    </p>
  );
}
