import { useSearchParams } from "react-router";

/** What a page's address asks of a list that the service sorts and searches, and how to ask otherwise. */
export function useAsked<By extends string>(first: By) {
  const [query, setQuery] = useSearchParams();
  const ask = (changes: Record<string, string>) =>
    setQuery(
      (q) => {
        for (const [key, value] of Object.entries(changes)) {
          if (value) q.set(key, value);
          else q.delete(key);
        }
        return q;
      },
      { replace: true, preventScrollReset: true },
    );
  const by = (query.get("by") ?? first) as By;
  const down = query.get("down") === "yes";
  const order = {
    by,
    down,
    set: (key: string, turned: boolean) => ask({ by: key, down: turned ? "yes" : "" }),
  };
  return { by, down, text: query.get("text") ?? "", order, look: (text: string) => ask({ text }) };
}
