/** A unified difference, line by line. */
export function Diff({ text }: { text: string }) {
  if (!text) return <p className="py-2 text-sm opacity-80">There is no difference.</p>;
  const lines = text
    .trimEnd()
    .split("\n")
    .filter((l) => !l.startsWith("---") && !l.startsWith("+++"));
  return (
    <pre
      // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls is reached by the keyboard
      tabIndex={0}
      className="overflow-x-auto border border-base-300 bg-base-200 p-3 font-mono text-xs leading-5"
      data-diff
    >
      {lines.map((l, i) => (
        <div
          // biome-ignore lint/suspicious/noArrayIndexKey: lines have no name but their place
          key={i}
          className={
            l.startsWith("+")
              ? "bg-success/15"
              : l.startsWith("-")
                ? "bg-error/15"
                : l.startsWith("@@")
                  ? "opacity-70"
                  : ""
          }
        >
          {l || " "}
        </div>
      ))}
    </pre>
  );
}
