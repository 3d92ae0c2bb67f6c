/** What is asked for in the address, with these changed; what has no value goes. */
export function altered(now: URLSearchParams, changes: Record<string, string | null | undefined>): URLSearchParams {
  const next = new URLSearchParams(now);
  for (const [name, value] of Object.entries(changes)) {
    if (value) next.set(name, value);
    else next.delete(name);
  }
  return next;
}
