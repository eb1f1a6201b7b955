import { type ReactNode, useEffect, useState } from "react";

/** A name for a part that has none, by its title. */
const named = (title: string) =>
  `part-${title
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-|-$/g, "")}`;

/** A titled part of a page; one with an answer in a line is folded behind it until somebody wants more. */
export function Section({
  title,
  aside,
  id,
  answer,
  children,
}: {
  title: string;
  aside?: ReactNode;
  id?: string;
  answer?: string;
  children: ReactNode;
}) {
  const name = id ?? named(title);
  if (answer !== undefined)
    return (
      <Folded title={title} aside={aside} name={name} answer={answer}>
        {children}
      </Folded>
    );
  return (
    <section className="mt-8 scroll-mt-14" id={name}>
      <div className="mb-2 flex flex-wrap items-baseline justify-between gap-x-4">
        <h2 className="font-semibold text-lg">{title}</h2>
        {aside && <Aside>{aside}</Aside>}
      </div>
      {children}
    </section>
  );
}

const Aside = ({ children }: { children: ReactNode }) => (
  <div className={`min-w-0 text-sm ${typeof children === "string" ? "opacity-80" : ""}`}>{children}</div>
);

/** A part behind its title and its answer. The address that names it opens it, and so does printing. */
function Folded({
  title,
  aside,
  name,
  answer,
  children,
}: {
  title: string;
  aside?: ReactNode;
  name: string;
  answer: string;
  children: ReactNode;
}) {
  const [open, setOpen] = useState(() => window.location.hash === `#${name}`);
  useEffect(() => {
    const named = () => window.location.hash === `#${name}` && setOpen(true);
    const print = () => setOpen(true);
    window.addEventListener("hashchange", named);
    window.addEventListener("beforeprint", print);
    return () => {
      window.removeEventListener("hashchange", named);
      window.removeEventListener("beforeprint", print);
    };
  }, [name]);
  return (
    <section className="mt-4 scroll-mt-14 border-base-300 border-t pt-2" id={name}>
      <details open={open} onToggle={(e) => setOpen(e.currentTarget.open)}>
        <summary className="flex cursor-pointer flex-wrap items-baseline gap-x-4">
          <span aria-hidden="true" className="-mr-3 w-4 text-sm opacity-70">
            {open ? "▾" : "▸"}
          </span>
          <h2 className="font-semibold text-lg">{title}</h2>
          <span className="text-sm">{answer}</span>
          {open && aside && (
            <span className="ml-auto">
              <Aside>{aside}</Aside>
            </span>
          )}
        </summary>
        <div className="mt-2">{open && children}</div>
      </details>
    </section>
  );
}

/** Something went wrong: what, why, and where it stands. */
export function Trouble({ error }: { error: unknown }) {
  const reasons = error instanceof Object && "reasons" in error ? (error.reasons as string[]) : [];
  return (
    <div role="alert" className="my-3 border-error border-l-4 bg-base-200 px-3 py-2">
      <p>{error instanceof Error ? error.message : String(error)}</p>
      {reasons.map((r) => (
        <p key={r} className="mt-1 font-mono text-sm">
          {r}
        </p>
      ))}
    </div>
  );
}

/** Something that needs a decision. */
export function Notice({ children }: { children: ReactNode }) {
  return <div className="notice my-3 border-warning border-l-4 bg-base-200 px-3 py-2">{children}</div>;
}

export const Waiting = ({ what }: { what: string }) => <p className="py-8 opacity-75">Loading {what} …</p>;
