/** What a check sees of a device's configuration and of its answers, beside the names that all templates see. No secret is in it. */
import type { Dialect } from '../dialect/dialect.ts';
import { parseNumbers } from '../lists/numbers.ts';
import type { Val, ValMap } from '../template/values.ts';

/** A configuration as a device showed it, secrets masked. `at`: ISO 8601. */
export interface ShownText {
  text: string;
  at: string;
}

const VLAN = { min: 1, max: 4094 };

/** Ports with the VLANs that they carry, by number; null where the sheet does not tell. */
export function carriedIn(dialect: Dialect, text: string): Map<string, number[]> | null {
  const { carriers } = dialect.wayIn(text);
  if (!carriers) return null;
  const out = new Map<string, Set<number>>();
  for (const { port, vlans } of carriers) {
    const read = parseNumbers(vlans.join(','), VLAN);
    const held = out.get(port) ?? new Set();
    for (const number of read.ok ? read.value : []) held.add(number);
    out.set(port, held);
  }
  return new Map([...out].map(([port, held]) => [port, [...held].sort((a, b) => a - b)]));
}

export function configFacts(dialect: Dialect, { text, at }: ShownText): ValMap {
  const lines = dialect.lines(text);
  const carried = carriedIn(dialect, text);
  return {
    text,
    lines,
    at,
    doors: dialect.otherDoors(lines),
    carries: carried && [...carried].map(([port, vlans]) => ({ port, vlans })),
  };
}

/**
 * Rows of an answer with every field that its sheet knows, null where a row has none; of interfaces also whether they are
 * live, and everywhere the records' own name of an interface.
 */
export function answerRows(
  dialect: Dialect,
  question: string,
  rows: readonly Record<string, string>[],
  interfaces: readonly string[],
): Val[] {
  const fields = dialect.fieldsOf(question);
  const empty = Object.fromEntries(fields.map((name) => [name, null]));
  const onDevice = new Map<string, string>();
  for (const name of interfaces) {
    onDevice.set(dialect.interfaceName(name), name);
    if (!onDevice.has(name)) onDevice.set(name, name);
  }
  return rows.map((row): ValMap => ({
    ...empty,
    ...row,
    ...(fields.includes('interface') ? { name: onDevice.get(row.interface ?? '') ?? null } : {}),
    ...(question === 'interfaces' && fields.includes('state') ? { live: dialect.isLive(row.state ?? '') } : {}),
  }));
}
