import type { Work } from "../api/client";
import { useAddress } from "./useAddress";

/** Which of a place's works is shown: that of the address, else the newest; 0 where there is none. */
export function useShown(list: Work[] | undefined): [id: number, choose: (id: number) => void] {
  const { query, change } = useAddress();
  return [Number(query.get("id")) || list?.[0]?.id || 0, (id) => change({ id })];
}
