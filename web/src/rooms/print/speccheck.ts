// Holds a spec to its JSON schema as it is typed, for the form. The page's rules against injected code allow no validator that
// compiles schemas, so this one walks them. The server checks once more, and what no schema can say.
import { Validator, type OutputUnit, type Schema } from "@cfworker/json-schema";
import { toErrorSchema, type RJSFSchema, type RJSFValidationError, type ValidatorType } from "@rjsf/utils";

const walkers = new WeakMap<object, Validator>();

function walk(schema: RJSFSchema, data: unknown) {
  let walker = walkers.get(schema);
  if (!walker) {
    walker = new Validator(schema as Schema, "2020-12", false);
    walkers.set(schema, walker);
  }
  return walker.validate(data);
}

/** Keywords that only say that something within is wrong, which is said itself. */
const wrappers = ["properties", "items", "additionalProperties", "oneOf", "anyOf", "allOf", "not"];

function errorOf(e: OutputUnit): RJSFValidationError {
  const property = e.instanceLocation
    .replace(/^#/, "")
    .split("/")
    .slice(1)
    .map((p) => (/^\d+$/.test(p) ? `[${p}]` : `.${p}`))
    .join("");
  const message = e.error.replace(/^Instance/, "It").replace(/^String/, "It");
  return { name: e.keyword, property, message, stack: `${property || "."} ${message}` };
}

export const specCheck: ValidatorType<unknown, RJSFSchema> = {
  validateFormData(data, schema) {
    const errors = walk(schema, data)
      .errors.filter((e) => !wrappers.includes(e.keyword))
      .map(errorOf);
    return { errors, errorSchema: toErrorSchema(errors) };
  },
  isValid: (schema, data) => walk(schema, data).valid,
  rawValidation: <R>(schema: RJSFSchema, data: unknown) => ({ errors: walk(schema, data).errors as R[] }),
};

/** Has every field that names groups of the spec offer those that there are. */
function choosing(at: unknown, groups: string[]): void {
  if (at === null || typeof at !== "object") return;
  for (const [key, value] of Object.entries(at as Record<string, RJSFSchema>)) {
    if (key === "of" && value?.type === "string") value.enum = groups;
    if (key === "of" && value?.type === "array") (value.items as RJSFSchema).enum = groups;
    choosing(value, groups);
  }
}

/** The IDs of a spec's groups, as far as it has any. */
export function groupsOf(data: unknown): string[] {
  const groups = (data as { groups?: { id?: unknown }[] } | null)?.groups;
  return Array.isArray(groups) ? [...new Set(groups.flatMap((g) => (typeof g?.id === "string" && g.id !== "" ? [g.id] : [])))] : [];
}

/** What feeds a group is one of several things; a form offers them as a choice, and the groups that there are where one is named. */
export function formSchema(schema: RJSFSchema, groups: string[] = []): RJSFSchema {
  const copy = structuredClone(schema);
  if (groups.length > 0) choosing(copy.properties, groups);
  // biome-ignore lint/correctness/noUnsafeOptionalChaining: it is meant so
  const group = ((copy.properties?.groups as RJSFSchema).items as RJSFSchema).properties!;
  const from = group.from as RJSFSchema;
  group.from = {
    title: "fed from",
    description: from.description,
    oneOf: Object.entries(from.properties ?? {}).map(([name, what]) => ({
      type: "object",
      title: sources[name] ?? name,
      additionalProperties: false,
      required: [name],
      properties: { [name]: name === "silence" ? { type: "boolean", const: true, default: true, title: "silent" } : what },
    })),
  } as RJSFSchema;
  return copy;
}

const sources: Record<string, string> = {
  stems: "stems, tied",
  mix: "a mix",
  stem: "a stem",
  strand: "a strand",
  track: "a track",
  fold: "a fold-down of another group",
  silence: "silence",
  each: "a group for each strand, stem or track",
};

/** What was left empty is left out: an object without anything in it says nothing. */
export function pruned(x: unknown): unknown {
  if (Array.isArray(x)) return x.map(pruned).filter((v) => v !== undefined);
  if (x === null || x === "") return undefined;
  if (typeof x !== "object") return x;
  const kept = Object.entries(x as object).flatMap(([k, v]) => {
    const p = pruned(v);
    return p === undefined || (Array.isArray(p) && p.length === 0) ? [] : [[k, p] as const];
  });
  return kept.length > 0 ? Object.fromEntries(kept) : undefined;
}
