/** Changes of the status, as the live socket tells them: what has not changed stays the very same object. */

export type Change = [(string | number)[], unknown];

/** The value with its changes; the given one is left as it is. */
export function changed<T>(value: T, changes: Change[]): T {
  const copies = new Set<object>();
  let whole: unknown = value;
  for (const [path, next] of changes) {
    if (!path.length) {
      whole = next;
      continue;
    }
    whole = own(whole, copies);
    let at = whole as Record<string | number, unknown>;
    for (const key of path.slice(0, -1)) {
      at[key] = own(at[key], copies);
      at = at[key] as Record<string | number, unknown>;
    }
    at[path[path.length - 1] as string] = next;
  }
  return whole as T;
}

/** A copy that may be written to, made once. */
function own(value: unknown, copies: Set<object>): unknown {
  if (typeof value !== "object" || value === null) throw new Error("a change of what is not there");
  if (copies.has(value)) return value;
  const copy: object = Array.isArray(value) ? [...(value as unknown[])] : { ...value };
  copies.add(copy);
  return copy;
}
