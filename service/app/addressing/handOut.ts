/** Where the rules of a prefix begin to look for the address of a device. */
import { parseHandOut, startFor } from '@zpine/core/addressing/handOut';
import { formatIp } from '@zpine/core/addressing/ip';
import { parsePrefix } from '@zpine/core/addressing/prefix';
import { mustParse } from '@zpine/core/fault';
import { Refusal } from '@zpine/contract/errors';
import type { Stored } from '@zpine/contract/kinds';
import { keyOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';

/** What `from` says goes before the rules; without either it is the next free one of all. */
export async function placeFor(
  tx: Tx,
  prefix: Stored<'prefix'>,
  device: Stored<'device'> | undefined,
  from: string | undefined,
): Promise<{ from?: string; exactly?: string }> {
  if (from !== undefined) return { from };
  if (prefix.handOut === null || !device) return {};
  const p = mustParse(parsePrefix(prefix.cidr));
  const duty = await keyOf(tx, 'duty', device.duty);
  const start = startFor(p, mustParse(parseHandOut(prefix.handOut)), { name: device.name, duty });
  if (!start) return {};
  if (!start.ok) throw Refusal.at(['address'], start.fault.code, start.fault.params);
  const address = formatIp({ family: p.family, value: start.value.value });
  return start.value.way === 'exactly' ? { exactly: address } : { from: address };
}
