import { useCallback, useEffect, useRef, useState } from "react";
import { api, type Schemas, take } from "../../api/client";

export type Answer = Schemas["ScenarioText"];

interface Kept {
  /** The stored revision that it was begun from; 0: none. */
  base: number;
  text: string;
}

const place = (name: string) => `text:Scenario/${name}`;

/** keepText puts a text aside in this tab, until it is stored; one that is too large for that stays on its page alone. */
export function keepText(name: string, kept: Kept | null) {
  sessionStorage.removeItem(place(name));
  if (!kept) return;
  try {
    sessionStorage.setItem(place(name), JSON.stringify(kept));
  } catch {
    // the browser has no room for it
  }
}

/** keptText is the text that was put aside. */
export function keptText(name: string): Kept | null {
  try {
    const kept = JSON.parse(sessionStorage.getItem(place(name)) ?? "null") as Kept | null;
    return kept && typeof kept.text === "string" && typeof kept.base === "number" ? kept : null;
  } catch {
    return null;
  }
}

/** How many states can be undone. */
const mostStates = 200;

/** The text of a scenario while it is written. Fields and editor change the same text, and the service says what it comes
 * to; what was changed last is undone first. The text is kept in this tab until it is stored. */
export function useText(name: string, stored: { text: string; revision: number } | undefined) {
  const [states, setStates] = useState<string[]>([]);
  const [at, setAt] = useState(0);
  const [base, setBase] = useState(0);
  const [answer, setAnswer] = useState<Answer | null>(null);
  const [error, setError] = useState<unknown>(null);
  const now = useRef({ states, at });
  const queue = useRef(Promise.resolve());
  const asked = useRef(0);
  const typed = useRef(0);
  now.current = { states, at };

  const show = useCallback((list: string[], i: number) => {
    now.current = { states: list, at: i };
    setStates(list);
    setAt(i);
  }, []);

  /** ask has the service make edits in the text as it is now, one after the other. */
  const ask = useCallback(
    (text: string | null, edits: Schemas["Edit"][], then?: (a: Answer) => void) => {
      const mine = ++asked.current;
      queue.current = queue.current.then(async () => {
        if (edits.length === 0 && mine !== asked.current) return; // another one is waiting that says more
        try {
          const { states: list, at: i } = now.current;
          const a = take(
            await api.POST("/api/v1/scenarios/{name}/text", {
              params: { path: { name } },
              body: { text: text ?? list[i], edits },
            }),
          );
          then?.(a);
          if (mine === asked.current) setAnswer(a);
          setError(null);
        } catch (problem) {
          setError(problem);
        }
      });
      return queue.current;
    },
    [name],
  );

  const push = useCallback(
    (text: string, over = false) => {
      const { states: list, at: i } = now.current;
      if (list[i] === text) return;
      const next = [...list.slice(Math.max(0, i + 1 - mostStates), i + (over ? 0 : 1)), text];
      show(next, next.length - 1);
    },
    [show],
  );

  const begin = useCallback(
    (text: string, revision: number) => {
      show([text], 0);
      setBase(revision);
      void ask(text, []);
    },
    [ask, show],
  );

  // What was put aside in this tab comes first; else what is stored, whenever that is another revision.
  useEffect(() => {
    const kept = keptText(name);
    if (kept && kept.text !== stored?.text) {
      if (now.current.states.length > 0) return;
      if (stored) {
        show([stored.text, kept.text], 1);
        setBase(kept.base);
        void ask(kept.text, []);
      } else begin(kept.text, 0);
      return;
    }
    if (stored) begin(stored.text, stored.revision);
  }, [name, stored, begin, ask, show]);

  const text = states[at] ?? "";
  const changed = text !== "" && text !== stored?.text;
  useEffect(() => {
    if (states.length > 0) keepText(name, changed ? { base, text } : null);
  }, [base, changed, name, states.length, text]);

  const edit = useCallback(
    (edits: Schemas["Edit"][]) => {
      typed.current = 0;
      return ask(null, edits, (a) => push(a.text));
    },
    [ask, push],
  );

  const later = useRef<ReturnType<typeof setTimeout>>(undefined);
  const write = useCallback(
    (to: string) => {
      if (to === now.current.states[now.current.at]) return;
      push(to, Date.now() - typed.current < 1000);
      typed.current = Date.now();
      clearTimeout(later.current);
      later.current = setTimeout(() => void ask(to, []), 250);
    },
    [ask, push],
  );

  const go = useCallback(
    (by: number) => {
      const { states: list, at: i } = now.current;
      const to = list[i + by];
      if (to === undefined) return;
      typed.current = 0;
      show(list, i + by);
      void ask(to, []);
    },
    [ask, show],
  );

  return {
    text,
    answer,
    error,
    base,
    changed,
    edit,
    write,
    undo: at > 0 ? () => go(-1) : null,
    redo: at < states.length - 1 ? () => go(1) : null,
    /** latest is the text as it is now, whatever was shown when a button was made. */
    latest: () => now.current.states[now.current.at] ?? "",
    /** settled waits until what was asked is answered. */
    settled: () => queue.current,
    /** over forgets what is kept aside: it is stored, or to be dropped. */
    over: (as?: { text: string; revision: number }) => {
      keepText(name, null);
      if (as) begin(as.text, as.revision);
    },
  };
}
