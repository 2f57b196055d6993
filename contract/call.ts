/** What a client needs of a route: how to ask, and whether the asking saves anything. */
export type Call = {
  method: 'GET' | 'POST' | 'PATCH' | 'DELETE';
  /** With `{name}` for what varies; below `/api/v1`. */
  path: string;
  /** Only with `apply`, or unless `apply` is false; left out where it always does, or its method says that it never does. */
  saves?: 'never' | 'if-apply' | 'unless-not-apply';
};

/** The names of the varying parts of a path. */
export const pathNames = (path: string): string[] => [...path.matchAll(/\{(\w+)\}/g)].map((m) => m[1] ?? '');

/** Whether a call with this body saves anything. */
export function saves(call: Call, body: unknown): boolean {
  const apply = (body as { apply?: unknown } | undefined)?.apply;
  if (call.method === 'GET' || call.saves === 'never') return false;
  if (call.saves === 'if-apply') return apply === true;
  return call.saves === undefined || apply !== false;
}
