/** What ports are in use for: cables in them, addresses on their interfaces, being the way into the device. */
import { Refusal } from '@zpine/contract/errors';
import type { Tx } from '../../store/tx.ts';

const NAMED = 5;

export async function usesOf(tx: Tx, ports: number[]): Promise<{ kind: string; key: string; words: string }[]> {
  if (ports.length === 0) return [];
  const cables = await tx.select<{ natural_key: string; port: string }>(
    `SELECT c.natural_key, p.natural_key AS port FROM cable_end e JOIN cable c ON c.id = e.cable_id JOIN port p ON p.id = e.port_id
     WHERE e.port_id IN (?) ORDER BY p.sort_key`,
    [ports],
  );
  const addresses = await tx.select<{ natural_key: string; iface: string }>(
    `SELECT a.natural_key, i.natural_key AS iface FROM \`interface\` b JOIN \`interface\` i ON i.id = b.id OR i.on_id = b.id
     JOIN address a ON a.interface_id = i.id WHERE b.port_id IN (?) ORDER BY i.sort_key`,
    [ports],
  );
  const management = await tx.select<{ natural_key: string; iface: string }>(
    `SELECT d.natural_key, i.natural_key AS iface FROM \`interface\` i JOIN device d ON d.management_id = i.id WHERE i.port_id IN (?)`,
    [ports],
  );
  return [
    ...cables.map((row) => ({ kind: 'cable', key: row.natural_key, words: `a cable in ${row.port}` })),
    ...addresses.map((row) => ({ kind: 'address', key: row.natural_key, words: `${row.natural_key} on ${row.iface}` })),
    ...management.map((row) => ({ kind: 'device', key: row.natural_key, words: `management by ${row.iface}` })),
  ];
}

export async function refuseInUse(tx: Tx, ports: number[], what: string): Promise<void> {
  const uses = await usesOf(tx, ports);
  if (uses.length === 0) return;
  const named = uses.slice(0, NAMED).map((use) => use.words);
  const more = uses.length > NAMED ? ` and ${uses.length - NAMED} more` : '';
  throw new Refusal('ports-in-use', { what, uses: `${named.join(', ')}${more}` }, [], {
    users: uses.map(({ kind, key }) => ({ kind, key })),
  });
}
