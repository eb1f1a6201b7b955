import { resolve, type SchemaNode } from "../../parts/schemaCompletion";

/** The order in which fields are shown; those that are not named come after, by their names. */
const orders: Record<string, string[]> = {
  AgentNumbers: ["reuse", "floor", "ceiling", "spare", "linger", "every", "step", "settle"],
  CacheRule: ["plan", "classes", "scope", "save", "savedBy", "every", "expires"],
  Growth: ["choose", "scan", "patience", "shrinkAfter"],
  Shared: ["name", "templates", "agents", "seat"],
  Mishap: ["when", "zone", "from", "to", "reason"],
  Away: ["when", "zone", "from", "to", "reason"],
  Raise: ["at", "template", "floor", "ceiling", "spare", "becomes", "recycle"],
  AgentPeriod: ["when", "zone", "floor", "ceiling", "spare"],
  PoolPeriod: ["when", "zone", "min"],
  RunPlan: ["span", "warmup", "repeats", "alike", "seed"],
  PoolLimits: ["min", "max", "calendar"],
};

export type Kind = "choice" | "yes" | "number" | "text" | "words" | "list" | "named" | "object";

/** What a field is: how it is shown, what it means, what stands for nothing. */
export interface Shape {
  key: string;
  kind: Kind;
  /** What it means. */
  meaning: string;
  /** Its unit or form, in few words. */
  unit: string;
  /** What holds while it is empty. */
  empty: string;
  choices: string[];
  least?: number;
  whole: boolean;
  node: SchemaNode;
}

const units: Record<string, string> = {
  "10m": "time",
  "1500m": "cores",
  "3Gi": "bytes",
  "0.19/h": "price an hour",
  "Mon-Fri 07:00-19:00": "part of the week",
  "Europe/Oslo": "time zone",
  "2026-09-14T00:00:00+02:00": "moment",
};

/** shapeOf says what a field is by its schema. */
export function shapeOf(root: SchemaNode, key: string, raw: SchemaNode): Shape {
  const node = resolve(root, raw) ?? {};
  const types = ([] as string[]).concat(node.type ?? []);
  const example = String(node.examples?.[0] ?? "");
  const meaning = raw.description ?? node.description ?? "";
  const kind: Kind = node.enum
    ? "choice"
    : types.includes("boolean")
      ? "yes"
      : types.includes("array")
        ? resolve(root, node.items)?.properties
          ? "list"
          : "words"
        : node.properties
          ? "object"
          : node.additionalProperties
            ? "named"
            : !types.includes("string") && (types.includes("integer") || types.includes("number"))
              ? "number"
              : "text";
  const whole = types.includes("integer");
  const fallback = node.default ?? raw.default;
  const absent = /\babsent\b/i.test(meaning);
  const nothing = whole ? "0" : example === "10m" ? "0s" : "";
  const empty = fallback !== undefined ? String(fallback) : absent ? "not set" : nothing;
  return {
    key,
    kind,
    meaning,
    unit: units[example] ? `${units[example]}, as in ${example}` : whole ? "a whole number" : "",
    empty,
    choices: node.enum ?? [],
    least: node.minimum ?? (kind === "number" ? 0 : undefined),
    whole,
    node,
  };
}

/** fieldsOf lists the fields of an object. */
export function fieldsOf(root: SchemaNode, node: SchemaNode): Shape[] {
  const object = resolve(root, node);
  const name = Object.entries(root.$defs ?? {}).find(([, d]) => d === object)?.[0] ?? "";
  const order = orders[name] ?? [];
  const place = (key: string) => (order.includes(key) ? order.indexOf(key) : order.length);
  return Object.entries(object?.properties ?? {})
    .sort(([a], [b]) => place(a) - place(b))
    .map(([key, raw]) => shapeOf(root, key, raw));
}

/** pointer writes steps as a JSON pointer. */
export const pointer = (steps: (string | number)[]) =>
  steps.map((s) => `/${String(s).replaceAll("~", "~0").replaceAll("/", "~1")}`).join("");

/** faultPath writes steps as faults name their places, as in spec.templates[0].agents. */
export const faultPath = (steps: (string | number)[]) =>
  steps.reduce<string>(
    (path, s) => (typeof s === "number" ? `${path}[${s}]` : path ? `${path}.${s}` : s),
    "",
  );

/** valueAt finds what stands at steps. */
export function valueAt(value: unknown, steps: (string | number)[]): unknown {
  let at = value;
  for (const s of steps) at = at instanceof Object ? (at as Record<string | number, unknown>)[s] : undefined;
  return at;
}
