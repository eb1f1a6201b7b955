import type { Completion, CompletionContext, CompletionResult } from "@codemirror/autocomplete";

/** A part of a JSON Schema. */
export interface SchemaNode {
  $ref?: string;
  type?: string | string[];
  description?: string;
  enum?: string[];
  default?: unknown;
  examples?: unknown[];
  minimum?: number;
  properties?: Record<string, SchemaNode>;
  items?: SchemaNode;
  additionalProperties?: SchemaNode | boolean;
  anyOf?: SchemaNode[];
  $defs?: Record<string, SchemaNode>;
}

/** resolve follows references and takes the object form of a choice. */
export function resolve(root: SchemaNode, at: SchemaNode | undefined): SchemaNode | undefined {
  let node = at;
  for (let i = 0; node?.$ref && i < 16; i++) {
    node = root.$defs?.[node.$ref.replace("#/$defs/", "")];
  }
  if (node?.anyOf)
    return resolve(root, node.anyOf.find((n) => resolve(root, n)?.properties) ?? node.anyOf[0]);
  return node;
}

/** pathTo reads from the indentation of the lines above which fields a place is in. */
export function pathTo(lines: string[], indent: number): string[] {
  const path: string[] = [];
  let limit = indent;
  for (let i = lines.length - 1; i >= 0 && limit > 0; i--) {
    const line = lines[i] ?? "";
    const m = /^(\s*)((?:-\s+)*)([\w./-]+):/.exec(line);
    if (!m) {
      const dash = /^(\s*)-\s/.exec(line);
      if (dash && (dash[1]?.length ?? 0) < limit) limit = (dash[1]?.length ?? 0) + 1;
      continue;
    }
    const dashes = m[2]?.length ?? 0;
    const at = (m[1]?.length ?? 0) + dashes;
    if (at < limit) {
      path.unshift(m[3] ?? "");
      limit = at;
    }
    // A dash on the line begins an entry: what holds the list stands further out, or as far.
    if (dashes > 0 && (m[1]?.length ?? 0) < limit) limit = (m[1]?.length ?? 0) + 1;
  }
  return path;
}

/** schemaAt finds what may stand under a path; lists are passed through. */
function schemaAt(root: SchemaNode, path: string[]): SchemaNode | undefined {
  let node = resolve(root, root);
  for (const step of path) {
    while (node?.items) node = resolve(root, node.items);
    const next: SchemaNode | undefined =
      node?.properties?.[step] ??
      (typeof node?.additionalProperties === "object" ? node.additionalProperties : undefined);
    node = resolve(root, next);
  }
  while (node?.items) node = resolve(root, node.items);
  return node;
}

/** completeBy offers the fields, and the values of enumerations, of a JSON Schema. */
export const completeBy =
  (schema: unknown) =>
  (context: CompletionContext): CompletionResult | null => {
    const root = schema as SchemaNode;
    const line = context.state.doc.lineAt(context.pos);
    const before = line.text.slice(0, context.pos - line.from);
    const above: string[] = [];
    for (let n = 1; n < line.number; n++) above.push(context.state.doc.line(n).text);
    const key = /^(\s*(?:-\s+)*)([\w/-]*)$/.exec(before);
    const value = /^(\s*(?:-\s+)*)([\w/-]+):\s+(\w*)$/.exec(before);
    if (value) {
      const indent = value[1]?.length ?? 0;
      const node = resolve(root, schemaAt(root, pathTo(above, indent))?.properties?.[value[2] ?? ""]);
      const words = node?.enum ?? (node?.type === "boolean" ? ["true", "false"] : []);
      if (words.length === 0) return null;
      return { from: context.pos - (value[3]?.length ?? 0), options: words.map((label) => ({ label })) };
    }
    if (!key || (!context.explicit && !key[2])) return null;
    const fields = schemaAt(root, pathTo(above, key[1]?.length ?? 0))?.properties ?? {};
    const options: Completion[] = Object.entries(fields).map(([label, node]) => {
      const deep = resolve(root, node);
      const inner = deep?.properties || deep?.items || deep?.additionalProperties;
      return {
        label,
        type: "property",
        apply: `${label}:${inner ? "" : " "}`,
        info: node.description ?? deep?.description,
      };
    });
    return { from: context.pos - (key[2]?.length ?? 0), options, validFor: /^[\w/-]*$/ };
  };
