import type { ReactNode } from "react";

/** A name for a part that has none, by its title. */
const named = (title: string) =>
  `part-${title
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-|-$/g, "")}`;

/** A titled part of a page. */
export function Section({
  title,
  aside,
  id,
  children,
}: {
  title: string;
  aside?: ReactNode;
  id?: string;
  children: ReactNode;
}) {
  return (
    <section className="mt-8 scroll-mt-14" id={id ?? named(title)}>
      <div className="mb-2 flex flex-wrap items-baseline justify-between gap-x-4">
        <h2 className="font-semibold text-lg">{title}</h2>
        {aside && <div className={`text-sm ${typeof aside === "string" ? "opacity-80" : ""}`}>{aside}</div>}
      </div>
      {children}
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
  return <div className="my-3 border-warning border-l-4 bg-base-200 px-3 py-2">{children}</div>;
}

export const Waiting = ({ what }: { what: string }) => <p className="py-8 opacity-75">Loading {what} …</p>;
