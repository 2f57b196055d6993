/** Wide tables: which device each row is for, by its name or by one of its addresses. */
import { parse } from 'csv-parse/sync';
import { parseIp } from '@zpine/core/addressing/ip';
import { isWide, wideTable, type WideRow } from '@zpine/core/fleet/wideTable';
import { nearest } from '@zpine/core/naming/names';
import { Refusal, type FieldFault } from '@zpine/contract/errors';
import type { Stored } from '@zpine/contract/kinds';
import { byIds } from '../../store/records.ts';
import { bytesOf } from '../../store/spans.ts';
import type { Tx } from '../../store/tx.ts';
import { findRefs } from '../records/refs.ts';

export interface WideDevices {
  /** Heads of columns that are neither the device nor lines. */
  heads: string[];
  devices: Stored<'device'>[];
  /** By the id of a device, in the order of the table. */
  rows: Map<number, WideRow[]>;
}

const AT = ['perDevice', 'text'];

export function cellsOf(text: string): string[][] {
  const [first = ''] = text.split('\n');
  const delimiter = [';', '\t', ','].find((sign) => first.includes(sign)) ?? ',';
  try {
    return parse(text, { delimiter, bom: true, relax_column_count: true, skip_empty_lines: false, relax_quotes: true });
  } catch (error) {
    throw Refusal.at(AT, 'list-broken', { why: error instanceof Error ? error.message : '' });
  }
}

/** Gives undefined where the table has no head row of this kind. All faults of it are told at once. */
export async function wideDevices(
  tx: Tx,
  cells: string[][],
  among?: readonly Stored<'device'>[],
): Promise<WideDevices | undefined> {
  if (!isWide(cells)) return undefined;
  const { heads, rows, faults } = wideTable(cells);
  const refusals: FieldFault[] = faults.map(({ code, params }) => ({ path: AT, code, params }));
  const known = await devicesBy(tx, [...new Set(rows.map(({ device }) => device))]);
  const allowed = among && new Set(among.map(({ id }) => id));
  const byDevice = new Map<number, WideRow[]>();
  const devices = new Map<number, Stored<'device'>>();
  for (const row of rows) {
    const device = known.get(row.device);
    if (!device || (allowed && !allowed.has(device.id))) {
      const meant = nearest(
        row.device,
        (among ?? [...known.values()]).map(({ key }) => key),
      );
      const why = allowed
        ? `there is no device "${row.device}" among those that are selected`
        : `there is no device "${row.device}", by name or address`;
      refusals.push({
        path: AT,
        code: 'wide-cell',
        params: { row: row.row, head: 'device', why: meant ? `${why}: did you mean ${meant}?` : why },
      });
      continue;
    }
    devices.set(device.id, device);
    byDevice.set(device.id, [...(byDevice.get(device.id) ?? []), row]);
  }
  if (refusals.length > 0) throw Refusal.of(refusals);
  return { heads, devices: [...devices.values()], rows: byDevice };
}

/** Devices by what people write: a name, `#12`, or an address that one of its interfaces has. */
async function devicesBy(tx: Tx, names: readonly string[]): Promise<Map<string, Stored<'device'>>> {
  const found = await findRefs(tx, 'device', [...names]);
  const out = new Map<string, Stored<'device'>>();
  const addresses = new Map<string, string>();
  for (const name of names) {
    const device = found.get(name);
    if (device) out.set(name, device);
    const ip = device ? undefined : parseIp(name);
    if (ip?.ok) addresses.set(bytesOf(ip.value.family, ip.value.value).toString('hex'), name);
  }
  if (addresses.size === 0) return out;
  const holders = await tx.select<{ address: Buffer; device_id: number }>(
    `SELECT a.address, i.device_id FROM address a JOIN interface i ON i.id = a.interface_id WHERE a.address IN (?)`,
    [[...addresses.keys()].map((hex) => Buffer.from(hex, 'hex'))],
  );
  const devices = await byIds(tx, 'device', holders, 'device_id');
  const times = new Map<string, Set<number>>();
  for (const { address, device_id: id } of holders) {
    const name = addresses.get(address.toString('hex')) ?? '';
    times.set(name, (times.get(name) ?? new Set()).add(Number(id)));
  }
  for (const [name, ids] of times) {
    const [only] = [...ids];
    const device = ids.size === 1 && only !== undefined ? devices.get(only) : undefined;
    if (device) out.set(name, device);
  }
  return out;
}
