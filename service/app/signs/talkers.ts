/** Somebody at an address of ours that is nobody's: on the list of strangers, by what it says. */
import { strangers, type StrangerRow } from '../arrivals/presentStrangers.ts';
import { MOST_LISTED } from '../arrivals/strangers.ts';
import { Instant } from '../../store/instant.ts';
import type { Tx } from '../../store/tx.ts';
import type { Stored } from '@zpine/contract/kinds';
import type { Sign } from './sign.ts';

/** A dismissed one comes back when it is heard of after so long. */
const FORGOTTEN_HOURS = 24;

/** By which a talker is known: where it is. */
const clientOf = (vrf: number, address: string): string => `at ${vrf} ${address}`;

/** A client of DHCP that has the address is the same one; else it is one without a hardware address. */
export async function saveTalker(tx: Tx, sign: Sign, link: Pick<Stored<'prefix'>, 'id' | 'vrf'>): Promise<void> {
  const { address, kind, text, times } = sign;
  const at = new Instant(sign.lastAt);
  const said = `${kind}: ${text}`.slice(0, 500);
  const booting = await tx.one<StrangerRow>(
    `SELECT ${strangers.all} FROM stranger WHERE address = ? AND prefix_id = ? AND settled_at IS NULL ORDER BY id DESC LIMIT 1 FOR UPDATE`,
    [address, link.id],
  );
  const client = clientOf(link.vrf, address);
  const known =
    booting ??
    (await tx.one<StrangerRow>(`SELECT ${strangers.all} FROM stranger WHERE client = ? FOR UPDATE`, [client]));
  if (!known) {
    const listed = await tx.one<{ count: number }>(
      'SELECT COUNT(*) AS count FROM stranger WHERE prefix_id = ? AND settled_at IS NULL',
      [link.id],
    );
    // Who makes up addresses fills no table.
    if (Number(listed?.count) >= MOST_LISTED) return;
    const [id] = await tx.insertRows('stranger', [
      { client, mac: '', prefix_id: link.id, address, says: said, first_at: at, last_at: at, packets: times },
    ]);
    tx.hint('stranger', Number(id), 1);
    return;
  }
  const dismissed = known.settled_as === 'dismissed' && known.settled_at !== null;
  if (known.settled_at !== null && !dismissed) return;
  const back = dismissed && (known.settled_at?.getTime() ?? 0) < at.ms - FORGOTTEN_HOURS * 3_600_000;
  if (dismissed && !back) return;
  const again = back ? ', settled_at = NULL, settled_by = NULL, settled_as = NULL' : '';
  await tx.execute(
    `UPDATE stranger SET says = ?, last_at = ?, packets = packets + ?, version = version + 1${again} WHERE id = ?`,
    [said, at, times, known.id],
  );
  if (known.says !== said) tx.hint('stranger', Number(known.id), known.version + 1);
}
