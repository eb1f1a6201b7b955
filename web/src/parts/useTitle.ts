import { useEffect, useSyncExternalStore } from "react";

let shown = "Tachyphor";
const hearers = new Set<() => void>();
const hear = (f: () => void) => {
  hearers.add(f);
  return () => hearers.delete(f);
};

/** Names the page: in the browser's tab, and for who does not see it. */
export function useTitle(title: string) {
  useEffect(() => {
    document.title = `${title} · Tachyphor`;
    shown = title;
    for (const f of hearers) f();
  }, [title]);
}

/** What the page is called. */
export const usePageName = () => useSyncExternalStore(hear, () => shown);
