/** Which devices are reached by one device alone, by the cables of the records. */
import type { Stored } from '@zpine/contract/kinds';
import { keysOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';

const MOST = 200;

/** Those that are cut off from everything that is not behind it, when it is taken out. */
export async function onlyBehind(tx: Tx, device: Stored<'device'>): Promise<string[]> {
  const links = await tx.select<{ one: number; other: number }>(
    `SELECT DISTINCT p.device_id AS one, q.device_id AS other FROM cable c JOIN port p ON p.id = c.from_id
     JOIN port q ON q.id = c.to_id WHERE p.device_id <> q.device_id`,
  );
  const next = new Map<number, Set<number>>();
  const link = (from: number, to: number): void => void next.set(from, (next.get(from) ?? new Set()).add(to));
  for (const { one, other } of links) {
    link(Number(one), Number(other));
    link(Number(other), Number(one));
  }
  const stretches = [...(next.get(device.id) ?? [])].map((begin) => reachedFrom(begin, device.id, next));
  // The largest stretch is the network; the others hang on the device alone.
  const largest = stretches.toSorted((a, b) => b.size - a.size)[0];
  const cutOff = new Set(
    stretches.flatMap((stretch) =>
      largest !== undefined && [...stretch].some((id) => largest.has(id)) ? [] : [...stretch],
    ),
  );
  const shown = [...cutOff].slice(0, MOST);
  const keys = await keysOf(tx, 'device', shown);
  return shown.flatMap((id) => keys.get(id) ?? []).toSorted();
}

function reachedFrom(begin: number, without: number, next: ReadonlyMap<number, ReadonlySet<number>>): Set<number> {
  const seen = new Set([begin]);
  const waiting = [begin];
  for (let at = waiting.pop(); at !== undefined; at = waiting.pop())
    for (const one of next.get(at) ?? [])
      if (one !== without && !seen.has(one)) {
        seen.add(one);
        waiting.push(one);
      }
  return seen;
}
