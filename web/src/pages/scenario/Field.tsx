import { createContext, useContext, useEffect, useId, useRef, useState } from "react";
import type { Schemas } from "../../api/client";
import type { SchemaNode } from "../../parts/schemaCompletion";
import { faultPath, pointer, type Shape, valueAt } from "./shape";

export type Step = string | number;

/** What fields change, and what they are told. */
export interface Editing {
  root: SchemaNode;
  spec: unknown;
  faults: Schemas["Fault"][];
  edit: (edits: Schemas["Edit"][]) => void;
  /** Names that may stand in a field, by its key. */
  names: Record<string, string[]>;
}

export const EditingContext = createContext<Editing | null>(null);

export function useEditing(): Editing {
  const e = useContext(EditingContext);
  if (!e) throw new Error("fields stand outside of what they edit");
  return e;
}

/** idOf names a field on the page. */
export const idOf = (path: Step[]) => `field-${path.join("-")}`;

/** Faults of a field and of what is within it. */
export const faultsAt = (faults: Schemas["Fault"][], path: Step[]) => {
  const at = faultPath(["spec", ...path]);
  return faults.filter((f) => f.path === at || f.path?.startsWith(`${at}.`) || f.path?.startsWith(`${at}[`));
};

/** One value of the document: a control with its unit, its meaning where one is, and what is wrong with it. */
export function Field({ shape, path, label }: { shape: Shape; path: Step[]; label?: string }) {
  const { spec, edit, faults, names } = useEditing();
  const id = idOf(path);
  const meaning = useId();
  const wrong = faultsAt(faults, path);
  const value = valueAt(spec, path);
  const set = (to: unknown) => {
    const at = pointer(["spec", ...path]);
    edit([to === "" || to === undefined ? { op: "remove", path: at } : { op: "add", path: at, value: to }]);
  };
  const common = {
    id,
    "aria-describedby": meaning,
    "aria-invalid": wrong.length > 0 || undefined,
  };
  const look = wrong.length > 0 ? "border-error" : "";
  return (
    <div className="group relative min-w-0">
      <label htmlFor={id} className="block truncate text-sm">
        {label ?? shape.key}
      </label>
      {shape.kind === "choice" ? (
        <select
          {...common}
          className={`select select-sm w-full ${look}`}
          value={value === undefined ? "" : String(value)}
          onChange={(e) => set(e.target.value)}
        >
          {(value === undefined || !shape.choices.includes(String(value))) && (
            <option value={value === undefined ? "" : String(value)}>
              {value === undefined ? `${shape.empty || "nothing"} (left out)` : String(value)}
            </option>
          )}
          {shape.choices.map((c) => (
            <option key={c}>{c}</option>
          ))}
        </select>
      ) : shape.kind === "yes" ? (
        <input
          {...common}
          type="checkbox"
          className="toggle toggle-sm my-1"
          checked={value === true}
          onChange={(e) => set(e.target.checked ? true : "")}
        />
      ) : (
        <Typed shape={shape} value={value} set={set} names={names[shape.key]} look={look} common={common} />
      )}
      <p
        id={meaning}
        className="absolute top-full left-0 z-20 hidden w-72 max-w-[80vw] border border-base-300 bg-base-100 p-2 text-sm shadow-md group-focus-within:block"
      >
        {shape.meaning}
        {shape.unit && <span className="block opacity-80">{shape.unit}</span>}
      </p>
      {wrong.map((f) => (
        <p key={f.expected + (f.found ?? "")} className="mt-0.5 text-error text-sm" role="alert">
          {f.found && `${f.found}: `}
          {f.expected}
        </p>
      ))}
    </div>
  );
}

/** asText writes a value as one types it. */
const asText = (value: unknown) =>
  value === undefined || value === null ? "" : Array.isArray(value) ? value.join(", ") : String(value);

/** What is typed goes into the document a moment after the last key, and when one leaves. */
function Typed({
  shape,
  value,
  set,
  names,
  look,
  common,
}: {
  shape: Shape;
  value: unknown;
  set: (to: unknown) => void;
  names?: string[];
  look: string;
  common: { id: string };
}) {
  const [typed, setTyped] = useState<string | null>(null);
  const later = useRef<ReturnType<typeof setTimeout>>(undefined);
  const was = asText(value);
  const list = `${common.id}-names`;
  // biome-ignore lint/correctness/useExhaustiveDependencies: what came of it stands there once it is not typed in any more
  useEffect(() => {
    if (document.activeElement?.id !== common.id) setTyped(null);
  }, [was]);
  useEffect(() => () => clearTimeout(later.current), []);
  const send = (text: string) => {
    clearTimeout(later.current);
    const trimmed = text.trim();
    if (trimmed === was) return;
    if (shape.kind === "words") {
      const words = trimmed.split(/[\s,]+/).filter((w) => w !== "");
      set(words.length > 0 ? words : "");
    } else if (shape.kind === "number") {
      if (trimmed === "" || Number.isFinite(Number(trimmed))) set(trimmed === "" ? "" : Number(trimmed));
    } else set(trimmed);
  };
  return (
    <>
      <input
        {...common}
        className={`input input-sm w-full ${look}`}
        type={shape.kind === "number" ? "number" : "text"}
        min={shape.least}
        step={shape.kind === "number" && !shape.whole ? "any" : undefined}
        placeholder={shape.empty}
        list={names && names.length > 0 ? list : undefined}
        autoComplete="off"
        spellCheck={false}
        value={typed ?? was}
        onChange={(e) => {
          const text = e.target.value;
          setTyped(text);
          clearTimeout(later.current);
          later.current = setTimeout(() => send(text), shape.kind === "number" ? 150 : 500);
        }}
        onBlur={() => {
          if (typed !== null) send(typed);
          setTyped(null);
        }}
        onKeyDown={(e) => {
          if (e.key === "Enter") send(e.currentTarget.value);
        }}
      />
      {names && names.length > 0 && (
        <datalist id={list}>
          {names.map((n) => (
            <option key={n}>{n}</option>
          ))}
        </datalist>
      )}
    </>
  );
}
