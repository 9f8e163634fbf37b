/** The part of JSON Schema that the brief's schema uses. */
export interface Schema {
  description?: string;
  type?: string | string[];
  enum?: (string | number)[];
  const?: string | number;
  properties?: Record<string, Schema>;
  additionalProperties?: boolean | Schema;
  items?: Schema;
  anyOf?: Schema[];
  oneOf?: Schema[];
  $ref?: string;
  $defs?: Record<string, Schema>;
}

/** What may be written at a place of the text. */
export interface Offer {
  label: string;
  detail: string | undefined;
  /** What is put in. */
  text: string;
}

/** A key, or the beginning of a list's element, and how far it is set in. */
interface Mark {
  indent: number;
  key: string | undefined;
}

function marksOf(line: string): Mark[] {
  const [, space = "", dash = "", rest = ""] = /^(\s*)(- )?(.*)$/.exec(line) ?? [];
  const key = /^([A-Za-z][\w-]*):/.exec(rest)?.[1];
  return [
    ...(dash ? [{ indent: space.length, key: undefined }] : []),
    ...(key ? [{ indent: space.length + dash.length, key }] : []),
  ];
}

/** The keys that lead to a place, from the outermost, with "-" for an element of a list; and the keys that stand beside it. */
export function pathAt(text: string, at: number): { path: string[]; beside: Set<string> } {
  const lines = text.slice(0, at).split("\n");
  const here = lines.pop() ?? "";
  const own = /^\s*(?:- )?/.exec(here)?.[0].length ?? 0;
  const above = lines.filter((line) => !/^\s*#/.test(line)).flatMap(marksOf);
  const marks = [...above, ...marksOf(here).filter((m) => m.indent < own)].reverse();
  const path: string[] = [];
  const beside = new Set<string>();
  let level = own;
  for (const { indent, key } of marks) {
    if (level === own && indent === own && key) beside.add(key);
    // A list may stand as far left as the key that it belongs to.
    if (indent > level || (indent === level && !(key && path[0] === "-"))) continue;
    path.unshift(key ?? "-");
    level = indent;
  }
  for (const { indent, key } of text.slice(at).split("\n").slice(1).flatMap(marksOf)) {
    if (indent < own) break;
    if (indent === own && key) beside.add(key);
  }
  return { path, beside };
}

function resolve(schema: Schema, root: Schema): Schema[] {
  const named = schema.$ref ? root.$defs?.[schema.$ref.replace("#/$defs/", "")] : undefined;
  const all = named ? { ...named, description: schema.description ?? named.description } : schema;
  return [all, ...[...(all.anyOf ?? []), ...(all.oneOf ?? [])].flatMap((s) => resolve(s, root))];
}

/** The schemas that hold at a path. */
export function schemasAt(root: Schema, path: string[]): Schema[] {
  let found = resolve(root, root);
  for (const part of path)
    found = found.flatMap((s) => {
      const next =
        part === "-"
          ? s.items
          : (s.properties?.[part] ?? (typeof s.additionalProperties === "object" ? s.additionalProperties : undefined));
      return next ? resolve(next, root) : [];
    });
  return found;
}

const wordsOf = (schemas: Schema[]) =>
  schemas.flatMap((s) => [
    ...(s.enum ?? []).map(String),
    ...(s.const === undefined ? [] : [String(s.const)]),
    ...(s.type === "boolean" ? ["true", "false"] : []),
  ]);

/** What may be written at a place, and where the word that is being written begins. */
export function offersAt(root: Schema, text: string, at: number): { from: number; offers: Offer[] } {
  const line = text.slice(text.lastIndexOf("\n", at - 1) + 1, at);
  const word = /[\w-]*$/.exec(line)?.[0] ?? "";
  const from = at - word.length;
  const { path, beside } = pathAt(text, at);
  const value = /^\s*(?:- )?([A-Za-z][\w-]*):\s+(\[[^\]]*)?[\w-]*$/.exec(line);
  if (value) {
    const schemas = schemasAt(root, [...path, value[1] ?? "", ...(value[2] ? ["-"] : [])]);
    return { from, offers: [...new Set(wordsOf(schemas))].map((label) => ({ label, detail: undefined, text: label })) };
  }
  if (!/^\s*(?:- )?[\w-]*$/.test(line)) return { from, offers: [] };
  const schemas = schemasAt(root, path);
  const keys = schemas
    .flatMap((s) => Object.entries(s.properties ?? {}))
    .filter(([key]) => !beside.has(key))
    .map(([key, s]) => ({
      label: key,
      detail: s.description ?? resolve(s, root)[0]?.description,
      text: `${key}: `,
    }));
  const words = [...new Set(wordsOf(schemas))].map((label) => ({ label, detail: undefined, text: label }));
  return { from, offers: [...keys, ...words] };
}
