import { byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import type { SnmpAccess } from '../fleet/access.ts';
import { targetsOf } from '../fleet/targets.ts';

/** How SNMP is spoken with a device, by its layers. */
export async function snmpAccessOf(tx: Tx, device: number): Promise<SnmpAccess | undefined> {
  const record = (await byIds(tx, 'device', [device])).get(device);
  return record && (await targetsOf(tx, [record])).get(device)?.access.snmp;
}
