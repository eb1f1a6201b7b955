import { useEffect } from "react";

/** Names the browser's tab. */
export function useTitle(title: string) {
  useEffect(() => {
    document.title = `${title} · Tachyphor`;
  }, [title]);
}
