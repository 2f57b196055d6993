/** Why a text or value was not taken. Words are made from code and params at the edge (contract/errors). */
export interface Fault<Code extends string = string> {
  code: Code;
  params: Record<string, string | number>;
}

export type Parsed<T, Code extends string = string> = { ok: true; value: T } | { ok: false; fault: Fault<Code> };

export const ok = <T>(value: T): { ok: true; value: T } => ({ ok: true, value });

export const fail = <Code extends string>(
  code: Code,
  params: Record<string, string | number> = {},
): { ok: false; fault: Fault<Code> } => ({ ok: false, fault: { code, params } });

/** For texts that the program itself wrote: a fault here is a defect, not a user's mistake. */
export function mustParse<T>(parsed: Parsed<T>): T {
  if (parsed.ok) return parsed.value;
  throw new Error(`${parsed.fault.code} ${JSON.stringify(parsed.fault.params)}`);
}
