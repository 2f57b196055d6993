/** What devices answered about addresses, MACs and neighbours, remembered for look-ups. */
import { forgetVain } from '../arrivals/vain.ts';
import { parseIp } from '@zpine/core/addressing/ip';
import { macToBytes, parseMac } from '@zpine/core/addressing/mac';
import { parsePrefix } from '@zpine/core/addressing/prefix';
import type { ShownAnswer } from '@zpine/contract/fleetShapes';
import { bytesOf } from '../../store/spans.ts';
import type { Tx } from '../../store/tx.ts';

/** Answers to these questions are remembered for look-ups: which address is on which interface, which MAC behind which port. */
export async function saveSeen(tx: Tx, device: number, answer: ShownAnswer): Promise<void> {
  if (answer.refused !== null || answer.cut) return;
  const now = await tx.now();
  if (answer.ask === 'interfaces') {
    await tx.execute('DELETE FROM seen_address WHERE device_id = ?', [device]);
    const rows = answer.rows.flatMap(({ interface: on = '', address = '', state = null }) => {
      const [host = '', length = ''] = address.split('/');
      const ip = parseIp(host);
      if (!ip.ok || on === '') return [];
      const bits = length === '' ? (ip.value.family === 4 ? 32 : 128) : Number(length);
      if (!parsePrefix(`${host}/${bits}`).ok && !Number.isInteger(bits)) return [];
      return [
        {
          device_id: device,
          interface: on.slice(0, 100),
          address: bytesOf(ip.value.family, ip.value.value),
          address_family: ip.value.family,
          length: bits,
          state: state?.slice(0, 40) ?? null,
          at: now,
        },
      ];
    });
    await insertOnce(tx, 'seen_address', rows, (row) => `${row.interface} ${row.address.toString('hex')}`);
  }
  if (answer.ask === 'neighbours') {
    await tx.execute('DELETE FROM seen_neighbour WHERE device_id = ?', [device]);
    const rows = answer.rows.flatMap(({ interface: on = '', neighbour = '', port = '' }) =>
      on === '' || neighbour === ''
        ? []
        : [
            {
              device_id: device,
              interface: on.slice(0, 100),
              neighbour: neighbour.slice(0, 200),
              port: port.slice(0, 100),
              at: now,
            },
          ],
    );
    await insertOnce(tx, 'seen_neighbour', rows, (row) => `${row.interface} ${row.neighbour}`);
  }
  if (answer.ask === 'version') await saveVersion(tx, device, answer.rows[0]?.version ?? '');
  if (answer.ask === 'macs') {
    await tx.execute('DELETE FROM seen_mac WHERE device_id = ?', [device]);
    const rows = answer.rows.flatMap(({ interface: on = '', mac: said = '', vlan = '' }) => {
      const mac = parseMac(said);
      return mac.ok && on !== ''
        ? [
            {
              device_id: device,
              interface: on.slice(0, 100),
              mac: Buffer.from(macToBytes(mac.value)),
              vlan: vlan.slice(0, 20),
              at: now,
            },
          ]
        : [];
    });
    await insertOnce(tx, 'seen_mac', rows, (row) => `${row.interface} ${row.mac.toString('hex')} ${row.vlan}`);
  }
}

/** Which version a device says that it runs; what says none is no answer. */
export async function saveVersion(tx: Tx, device: number, version: string): Promise<void> {
  await forgetVain(tx, device);
  if (version === '') return;
  await tx.replaceRows(
    'seen_version',
    [{ device_id: device, version: version.slice(0, 60), at: await tx.now() }],
    ['version', 'at'],
  );
}

async function insertOnce<T extends Record<string, unknown>>(
  tx: Tx,
  table: string,
  rows: T[],
  key: (row: T) => string,
): Promise<void> {
  const once = [...new Map(rows.map((row) => [key(row).toLowerCase(), row])).values()];
  if (once.length > 0) await tx.insertRows(table, once, '');
}
