import { useQuery } from "@tanstack/react-query";
import { Fragment, useId } from "react";

/** The vocabulary, which is fetched once a page has words of it. */
const vocabulary = {
  queryKey: ["vocabulary"],
  queryFn: async () => {
    const { vocabulary: words } = await import("../vocabulary.gen");
    const names = Object.keys(words).sort((a, b) => b.length - a.length);
    return { words, find: new RegExp(`\\b(${names.join("|")})(s?)\\b`, "g") };
  },
  staleTime: Number.POSITIVE_INFINITY,
};

/** useVocabulary is what words mean here, once it is there. */
export const useVocabulary = (wanted = true) => useQuery({ ...vocabulary, enabled: wanted }).data;

/** Words that everybody knows as well as we do: in a sentence they are not marked. */
const plain = [
  "job",
  "jobs",
  "run",
  "part",
  "key",
  "say",
  "keep",
  "advice",
  "work",
  "step",
  "round",
  "event",
  "notice",
  "node",
  "limit",
  "image",
  "message",
  "course",
  "bound",
  "mix",
  "fit",
  "cluster",
  "outcome",
  "scenario",
  "template",
  "agent",
  "brief",
  "block",
];

/** A sentence in which the words of the vocabulary can be pressed, each once, for what they mean. */
export function Words({ children }: { children: string }) {
  const v = useVocabulary();
  if (!v) return children;
  const told = new Set<string>();
  const parts: { text: string; meaning?: string }[] = [];
  let from = 0;
  for (const m of children.matchAll(v.find)) {
    const word = m[1] ?? "";
    const meaning = v.words[word];
    if (!meaning || plain.includes(word) || told.has(word)) continue;
    told.add(word);
    parts.push({ text: children.slice(from, m.index) }, { text: m[0], meaning });
    from = m.index + m[0].length;
  }
  parts.push({ text: children.slice(from) });
  return parts.map((p) =>
    p.meaning ? (
      <Word key={p.text} means={p.meaning}>
        {p.text}
      </Word>
    ) : (
      <Fragment key={p.text}>{p.text}</Fragment>
    ),
  );
}

/** A word that says what it means when it is pressed. */
export function Word({ children, means }: { children: string; means?: string }) {
  const v = useVocabulary(means === undefined);
  const id = useId();
  const meaning = means ?? v?.words[children];
  if (!meaning) return children;
  return (
    <>
      <button
        type="button"
        popoverTarget={id}
        className="cursor-help text-inherit underline decoration-dotted decoration-1 underline-offset-4"
        onClick={(e) => {
          const box = e.currentTarget.getBoundingClientRect();
          const pop = document.getElementById(id);
          if (pop) {
            pop.style.left = `${Math.max(8, Math.min(box.left, window.innerWidth - 330))}px`;
            pop.style.top = `${Math.min(box.bottom + 4, window.innerHeight - 90)}px`;
          }
        }}
      >
        {children}
      </button>
      <span
        id={id}
        popover="auto"
        className="fixed m-0 w-80 max-w-[90vw] border border-base-300 bg-base-100 p-3 text-base-content text-sm shadow-md"
      >
        <b>{children}</b>: {meaning}.
      </span>
    </>
  );
}
