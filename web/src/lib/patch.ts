/** A JSON document, or a part of one. */
export type Json = unknown;
type Members = Record<string, Json>;

const isMembers = (v: Json): v is Members => typeof v === "object" && v !== null && !Array.isArray(v);

/** Whether two documents say the same, in whatever order their keys stand. */
export function alike(a: Json, b: Json): boolean {
  if (Array.isArray(a)) return Array.isArray(b) && a.length === b.length && a.every((v, i) => alike(v, b[i]));
  if (!isMembers(a) || !isMembers(b)) return a === b;
  const [ka, kb] = [keysOf(a), keysOf(b)];
  return ka.length === kb.length && ka.every((k) => k in b && alike(a[k], b[k]));
}

const keysOf = (m: Members) => Object.keys(m).filter((k) => m[k] !== undefined);

/**
 * The document was with what a form changed: shown is what the form said of it before anybody touched it, next is what
 * it says now. What the form cannot show differs between was and shown, and stays.
 */
export function patched(was: Json, shown: Json, next: Json): Json {
  if (alike(shown, next)) return was;
  if (isMembers(was) && isMembers(next) && (shown === undefined || isMembers(shown))) {
    const out: Members = {};
    for (const key of new Set([...keysOf(was), ...keysOf(next)])) {
      const said = shown?.[key];
      const value =
        next[key] === undefined && said !== undefined ? beyond(was[key], said) : patched(was[key], said, next[key]);
      if (value !== undefined) out[key] = value;
    }
    return out;
  }
  if (Array.isArray(was) && Array.isArray(shown) && Array.isArray(next) && was.length === shown.length)
    return next.map((item: Json, i) => {
      const same = shown.findIndex((s) => alike(s, item));
      if (same >= 0) return was[same] as Json;
      return next.length === was.length ? patched(was[i], shown[i], item) : item;
    });
  return next;
}

/** What is left of a part of a document when all of it that was shown goes; undefined where that is nothing. */
function beyond(was: Json, shown: Json): Json {
  if (!isMembers(was) || !isMembers(shown)) return undefined;
  const left: Members = {};
  for (const key of keysOf(was)) {
    const value = shown[key] === undefined ? was[key] : beyond(was[key], shown[key]);
    if (value !== undefined) left[key] = value;
  }
  return keysOf(left).length > 0 ? left : undefined;
}

/** The parts of a document that a form cannot show, by their paths. */
export function unshown(was: Json, shown: Json, path = ""): { path: string; value: Json }[] {
  if (alike(was, shown) || was === undefined) return [];
  if (isMembers(was) && isMembers(shown))
    return keysOf(was).flatMap((k) => unshown(was[k], shown[k], path === "" ? k : `${path}.${k}`));
  if (Array.isArray(was) && Array.isArray(shown) && was.length === shown.length)
    return was.flatMap((v: Json, i) => unshown(v, shown[i], `${path}[${i}]`));
  return [{ path, value: was }];
}
