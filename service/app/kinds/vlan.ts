/** A VLAN that trunks carry stays; when it gets another number they follow. */
import { Refusal } from '@zpine/contract/errors';
import { asStored, type KindRules } from '../records/draft.ts';
import { find } from '../../store/records.ts';
import { update } from '../../store/recordWrites.ts';
import type { Tx } from '../../store/tx.ts';
import { keepTrunks } from '../interfaces/vlans.ts';

const NAMED = 5;

export const vlanRules: KindRules = {
  async edited(tx, pairs) {
    for (const { before, after } of pairs) {
      const [was, is] = [asStored('vlan', before).number, asStored('vlan', after).number];
      if (was === is) continue;
      const trunks = await trunksOf(tx, [after.id]);
      const followed = await update(
        tx,
        'interface',
        trunks.map((trunk) => {
          const tagged = (trunk.tagged ?? []).map((number) => (number === was ? is : number)).sort((a, b) => a - b);
          return { before: trunk, after: { ...trunk, tagged } };
        }),
      );
      await keepTrunks(tx, followed, true);
    }
  },
  async removing(tx, records) {
    for (const record of records) {
      const trunks = await trunksOf(tx, [record.id]);
      if (trunks.length === 0) continue;
      const names = trunks.slice(0, NAMED).map((trunk) => trunk.key);
      const more = trunks.length > NAMED ? ` and ${trunks.length - NAMED} more` : '';
      const users = `interfaces ${names.join(', ')}${more} (tagged vlans)`;
      const named = trunks.map(({ key }) => ({ kind: 'interface', key }));
      throw new Refusal('in-use', { kind: 'vlan', key: record.key, users }, [], { users: named });
    }
  },
};

async function trunksOf(tx: Tx, vlans: number[]) {
  const rows = await tx.select<{ interface_id: number }>(
    'SELECT interface_id FROM interface_vlan WHERE vlan_id IN (?)',
    [vlans],
  );
  return find(tx, 'interface', { id: rows.map((row) => Number(row.interface_id)) }, { order: ['sort_key'] });
}
