/** A device and its management address in one call that may be sent again: what is there already is left as it is. */
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import { find } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { assignManagement } from '../addressing/management.ts';
import { addOne } from '../records/add.ts';
import { editOne } from '../records/edit.ts';
import { mustFind } from '../records/refs.ts';

export async function declare(tx: Tx, body: BodyOf<'device.declare'>): Promise<ReplyOf<'device.declare'>> {
  const { name, fields, withAddress, ...place } = body;
  // Two that declare the same device at the same moment wait for one another.
  await tx.select('SELECT id FROM vrf ORDER BY id LIMIT 1 FOR UPDATE');
  const [standing] = await find(tx, 'device', { natural_key: name.toLowerCase() }, { lock: true });
  const device = standing
    ? await editOne(tx, 'device', `#${standing.id}`, fields)
    : await addOne(tx, 'device', { ...fields, name });
  const action = !standing ? 'added' : device.version === standing.version ? 'as before' : 'edited';
  const management = withAddress ? await assignManagement(tx, `#${device.id}`, place) : null;
  const { key, stage } = await mustFind(tx, 'device', `#${device.id}`);
  return { device: key, action, stage, management };
}
