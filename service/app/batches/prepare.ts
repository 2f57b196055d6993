/** What devices need before they can arrive: a management address, an edition, and that it is published. */
import type { Prepared } from '@zpine/contract/batchRoutes';
import { problemOf, Refusal } from '@zpine/contract/errors';
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import { transact } from '../../store/transact.ts';
import type { Tx } from '../../store/tx.ts';
import { assignManagement, managementOf } from '../addressing/management.ts';
import { openWindow } from '../arrivals/window.ts';
import { makeEdition, publishEdition } from '../editions/editions.ts';
import { mustFind, mustFindFieldMany } from '../records/refs.ts';

type Body = BodyOf<'device.prepareMany'>;

/** Each device in a unit of work of its own: what one is refused takes nothing back of another. */
export async function prepareMany(tx: Tx, body: Body): Promise<ReplyOf<'device.prepareMany'>> {
  const devices = await mustFindFieldMany(tx, 'device', body.devices, 'devices');
  const items: Prepared[] = [];
  for (const { key } of devices) {
    const seen: Prepared = { device: key, done: [], address: null, edition: null, published: false, fault: null };
    try {
      items.push(
        await transact(
          tx.store,
          tx.actor,
          'device.prepare',
          (own) => {
            own.discarded = !body.apply;
            return prepare(own, key, body, { ...seen, done: [] });
          },
          tx.signal,
        ),
      );
    } catch (error) {
      if (!(error instanceof Refusal)) throw error;
      const { code, detail, remedy } = problemOf(error);
      items.push({ ...seen, fault: { code, detail, remedy: remedy ?? null } });
    }
  }
  return { applied: body.apply, items };
}

async function prepare(tx: Tx, key: string, { publish, openHours }: Body, out: Prepared): Promise<Prepared> {
  const device = await mustFind(tx, 'device', key);
  const had = await managementOf(tx, device);
  if (had) out.address = had.address.address;
  else {
    out.address = (await assignManagement(tx, key, {})).address;
    out.done.push(`address ${out.address}`);
  }
  const edition = await makeEdition(tx, key, { apply: true });
  out.edition = edition.number;
  out.published = edition.current;
  if (edition.fresh) out.done.push(`edition ${edition.number} made`);
  if (publish && !edition.current) {
    await publishEdition(tx, key, String(edition.number), { insist: false });
    out.published = true;
    out.done.push(`edition ${edition.number} published`);
  }
  if (openHours !== undefined) {
    await openWindow(tx, await mustFind(tx, 'device', key, true), openHours);
    out.done.push(`window open for ${openHours} h`);
  }
  return out;
}
