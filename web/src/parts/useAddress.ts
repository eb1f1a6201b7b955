import { useNavigate, useSearchParams } from "react-router";

export type Changes = Record<string, string | number | undefined>;

/** What a page's address asks, and how to change it: what is empty goes, the rest stays. A change begins with the
 *  address as it is, which may be ahead of what is drawn; `instead` leaves no step to go back to. */
export function useAddress() {
  const [query] = useSearchParams();
  const go = useNavigate();
  const to = (changes: Changes, replace: boolean) => {
    const search = new URLSearchParams(window.location.search);
    for (const [key, value] of Object.entries(changes)) {
      if (value === undefined || value === "") search.delete(key);
      else search.set(key, String(value));
    }
    go({ pathname: window.location.pathname, search: search.toString() }, { replace });
  };
  return {
    query,
    change: (changes: Changes) => to(changes, false),
    instead: (changes: Changes) => to(changes, true),
  };
}
