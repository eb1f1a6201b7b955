import { type ReactNode, useState } from "react";
import type { SchemaNode } from "../../parts/schemaCompletion";
import { Field, faultsAt, idOf, type Step, useEditing } from "./Field";
import { fieldsOf, pointer, type Shape, shapeOf, valueAt } from "./shape";
import { Week } from "./Week";

/** The fields of an object, but for some, or only some. */
export function Fields({
  node,
  path,
  but = [],
  only,
}: {
  node: SchemaNode;
  path: Step[];
  but?: string[];
  only?: string[];
}) {
  const { root } = useEditing();
  const all = fieldsOf(root, node).filter((f) => !but.includes(f.key) && (!only || only.includes(f.key)));
  const single = all.filter((f) => !["list", "named", "object"].includes(f.kind));
  const parts = all.filter((f) => ["list", "named", "object"].includes(f.kind));
  return (
    <div className="space-y-3">
      {single.length > 0 && (
        <div className="grid grid-cols-2 gap-x-4 gap-y-2 sm:grid-cols-[repeat(auto-fill,minmax(8.5rem,1fr))]">
          {single.map((f) => (
            <Field key={f.key} shape={f} path={[...path, f.key]} />
          ))}
        </div>
      )}
      {parts.map((f) => (
        <Part key={f.key} shape={f} path={[...path, f.key]} />
      ))}
    </div>
  );
}

/** A part of an object that has fields of its own. */
export function Part({ shape, path }: { shape: Shape; path: Step[] }) {
  const { spec } = useEditing();
  if (shape.kind === "list") return <List shape={shape} path={path} />;
  if (shape.kind === "named") return <ByName shape={shape} path={path} />;
  const there = valueAt(spec, path);
  return (
    <Folded
      title={shape.key}
      note={shape.meaning}
      open={there instanceof Object && Object.keys(there).length > 0}
    >
      <Fields node={shape.node} path={path} />
    </Folded>
  );
}

/** What is seldom needed, behind its name and what it is for. */
export function Folded({
  title,
  note,
  open,
  children,
}: {
  title: string;
  note: string;
  open: boolean;
  children: ReactNode;
}) {
  return (
    <details open={open} className="border-base-300 border-l-2 pl-3">
      <summary className="cursor-pointer text-sm">
        <span className="font-medium">{title}</span> <span className="opacity-80">{note}</span>
      </summary>
      <div className="pt-2">{children}</div>
    </details>
  );
}

/** Where the entries of a list have a part of the week, they are drawn on one. */
const drawn = ["calendar", "outOfService"];

/** A list of objects: added to, taken away from, and put in order. */
export function List({
  shape,
  path,
  title,
  fresh,
  head,
  body,
}: {
  shape: Shape;
  path: Step[];
  title?: string;
  /** What a new entry begins as. */
  fresh?: Record<string, unknown>;
  /** What stands above an entry's fields. */
  head?: (i: number) => ReactNode;
  /** An entry's fields; absent: all that it has. */
  body?: (i: number) => ReactNode;
}) {
  const { root, spec, edit, faults } = useEditing();
  const entries = (valueAt(spec, path) as unknown[] | undefined) ?? [];
  const at = pointer(["spec", ...path]);
  const add = (entry: Record<string, unknown>) =>
    edit(
      entries.length === 0
        ? [{ op: "add", path: at, value: [entry] }]
        : [{ op: "add", path: `${at}/-`, value: entry }],
    );
  const of = fieldsOf(root, shape.node.items ?? {});
  const begin = fresh ?? firstOf(of);
  const isWeek = drawn.includes(shape.key);
  return (
    <div className={title === undefined ? "border-base-300 border-l-2 pl-3" : ""} id={idOf(path)}>
      {title === undefined && (
        <p className="text-sm">
          <span className="font-medium">{shape.key}</span> <span className="opacity-80">{shape.meaning}</span>
        </p>
      )}
      {faultsAt(faults, path)
        .filter((f) => f.path?.endsWith(shape.key))
        .map((f) => (
          <p key={f.expected} className="text-error text-sm" role="alert">
            {f.expected}
          </p>
        ))}
      {isWeek && <Week entries={entries} label={shape.key} add={(when) => add({ ...begin, when })} />}
      <ol className="mt-2 space-y-4">
        {entries.map((_, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: an entry is known by its place in the document
          <li key={i} className={title === undefined ? "" : "border-base-300 border-l-2 pl-3"}>
            <div className="flex flex-wrap items-center gap-x-3">
              {head ? head(i) : <span className="text-sm opacity-80">{i + 1}</span>}
              <span className="ml-auto flex gap-x-1">
                <Small
                  label="Earlier"
                  what={`${shape.key} ${i + 1}`}
                  off={i === 0}
                  press={() => edit([{ op: "move", from: `${at}/${i}`, path: `${at}/${i - 1}` }])}
                />
                <Small
                  label="Later"
                  what={`${shape.key} ${i + 1}`}
                  off={i === entries.length - 1}
                  press={() => edit([{ op: "move", from: `${at}/${i}`, path: `${at}/${i + 1}` }])}
                />
                <Small
                  label="Take away"
                  what={`${shape.key} ${i + 1}`}
                  press={() =>
                    edit([{ op: "remove", path: entries.length === 1 && !fresh ? at : `${at}/${i}` }])
                  }
                />
              </span>
            </div>
            {body ? body(i) : <Fields node={shape.node.items ?? {}} path={[...path, i]} />}
          </li>
        ))}
      </ol>
      <button
        type="button"
        className="btn btn-ghost btn-xs mt-1"
        id={`${idOf(path)}-add`}
        onClick={() => add(begin)}
      >
        Add {adds[shape.key] ?? "one"}
      </button>
    </div>
  );
}

const adds: Record<string, string> = {
  calendar: "a part of the week",
  outOfService: "a time out of service",
  limits: "a limit",
  events: "an event",
  changes: "a change",
  caching: "a rule",
  prepull: "images",
  templates: "a template",
};

function Small({
  label,
  what,
  off,
  press,
}: {
  label: string;
  what: string;
  off?: boolean;
  press: () => void;
}) {
  return (
    <button
      type="button"
      className="btn btn-ghost btn-xs"
      aria-label={`${label}: ${what}`}
      disabled={off}
      onClick={press}
    >
      {label}
    </button>
  );
}

/** firstOf is what a new entry begins as, so that it says something. */
function firstOf(of: Shape[]): Record<string, unknown> {
  const keys = of.map((f) => f.key);
  if (keys.includes("plan")) return { plan: "archive" };
  if (keys.includes("seat")) return { templates: [], agents: 1 };
  if (keys.includes("controllerAway")) return { when: "Mon-Fri 09:00-10:00", controllerAway: true };
  if (keys.includes("becomes")) return { at: "", template: "" };
  if (keys.includes("when")) {
    return keys.includes("min") ? { when: "Mon-Fri 07:00-19:00", min: 1 } : { when: "Mon-Fri 07:00-19:00" };
  }
  return {};
}

/** Values by name, as limits by pool. */
function ByName({ shape, path }: { shape: Shape; path: Step[] }) {
  const { root, spec, edit, names } = useEditing();
  const [name, setName] = useState("");
  const there = Object.keys((valueAt(spec, path) as object | undefined) ?? {}).sort();
  const inner = shapeOf(root, shape.key, shape.node.additionalProperties as SchemaNode);
  const known = (names[shape.key] ?? []).filter((n) => !there.includes(n));
  const id = idOf(path);
  const add = () => {
    if (name.trim() === "") return;
    edit([
      {
        op: "add",
        path: pointer(["spec", ...path, name.trim()]),
        value: inner.kind === "object" ? {} : 1,
      },
    ]);
    setName("");
  };
  return (
    <div className="border-base-300 border-l-2 pl-3" id={id}>
      <p className="text-sm">
        <span className="font-medium">{shape.key}</span> <span className="opacity-80">{shape.meaning}</span>
      </p>
      <div className="mt-1 space-y-3">
        {there.map((n) => (
          <div key={n}>
            <div className="flex items-center gap-2">
              <span className="font-medium text-sm">{n}</span>
              <span className="ml-auto">
                <Small
                  label="Take away"
                  what={n}
                  press={() => edit([{ op: "remove", path: pointer(["spec", ...path, n]) }])}
                />
              </span>
            </div>
            {inner.kind === "object" ? (
              <Fields node={inner.node} path={[...path, n]} />
            ) : (
              <div className="max-w-40">
                <Field shape={inner} path={[...path, n]} label="agents" />
              </div>
            )}
          </div>
        ))}
      </div>
      <div className="mt-1 flex items-center gap-2">
        <input
          className="input input-xs w-40"
          aria-label={`Name to add to ${shape.key}`}
          placeholder="name"
          list={`${id}-known`}
          value={name}
          onChange={(e) => setName(e.target.value)}
          onKeyDown={(e) => e.key === "Enter" && add()}
        />
        <datalist id={`${id}-known`}>
          {known.map((n) => (
            <option key={n}>{n}</option>
          ))}
        </datalist>
        <button type="button" className="btn btn-ghost btn-xs" onClick={add} disabled={name.trim() === ""}>
          Add
        </button>
      </div>
    </div>
  );
}
