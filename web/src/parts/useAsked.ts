import { useAddress } from "./useAddress";

/** What a page's address asks of a list that the service sorts and searches, and how to ask otherwise. */
export function useAsked<By extends string>(first: By) {
  const { query, instead } = useAddress();
  const by = (query.get("by") ?? first) as By;
  const down = query.get("down") === "yes";
  const order = {
    by,
    down,
    set: (key: string, turned: boolean) => instead({ by: key, down: turned ? "yes" : "" }),
  };
  return { by, down, text: query.get("text") ?? "", order, look: (text: string) => instead({ text }) };
}
