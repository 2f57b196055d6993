/** How the ports of devices differ from what their models and cards bring, and bringing them along. */
import { problemOf, Refusal } from '@zpine/contract/errors';
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { find } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { mustFind, mustFindAll } from '../records/refs.ts';
import { alignPorts, type Difference, differences } from './align.ts';
import { usesOf } from './use.ts';

/** The devices that have a model, or cards of it. */
async function devicesWith(tx: Tx, model: Stored<'model'>): Promise<Stored<'device'>[]> {
  const cards = await find(tx, 'card', { model_id: model.id });
  const byCard = await find(tx, 'device', { id: cards.map((card) => card.device) }, { order: ['sort_key'] });
  const direct = await find(tx, 'device', { model_id: model.id }, { order: ['sort_key'] });
  return [...new Map([...direct, ...byCard].map((device) => [device.id, device])).values()];
}

const isSame = (d: Difference): boolean =>
  d.missing.length + d.extra.length + d.other.length === 0 && d.clash === undefined;

/** Names of what differs, as the API gives them. */
export const presentDifference = (d: Difference) => ({
  missing: d.missing.map((socket) => socket.name),
  extra: d.extra.map((port) => port.name),
  other: d.other.map(({ port, socket }) => ({ port: port.name, is: port.kind, wanted: socket.kind })),
});

export async function differing(tx: Tx, ref: string): Promise<ReplyOf<'model.differing'>> {
  const model = await mustFind(tx, 'model', ref);
  const devices: ReplyOf<'model.differing'>['devices'] = [];
  for (const one of await differencesOfModel(tx, model)) {
    const uses = await usesOf(
      tx,
      one.extra.map((port) => port.id),
    );
    const blocked =
      one.clash !== undefined
        ? `two ports would be called ${one.clash}`
        : uses.length > 0
          ? uses.map((use) => use.words).join(', ')
          : null;
    devices.push({ device: one.device.key, ...presentDifference(one), blocked });
  }
  return { devices, count: devices.length };
}

export async function differencesOfModel(tx: Tx, model: Stored<'model'>): Promise<Difference[]> {
  return (await differences(tx, await devicesWith(tx, model))).filter((one) => !isSame(one));
}

export async function align(tx: Tx, ref: string, body: BodyOf<'model.align'>): Promise<ReplyOf<'model.align'>> {
  const model = await mustFind(tx, 'model', ref);
  const devices =
    body.devices === undefined
      ? (await differencesOfModel(tx, model)).map((one) => one.device)
      : await mustFindAll(tx, 'device', body.devices);
  const reply: ReplyOf<'model.align'> = { aligned: [], refused: [] };
  for (const device of devices) {
    try {
      // A device is looked at before anything of it is written: one that refuses is left as it was.
      await alignPorts(tx, [device]);
      reply.aligned.push(device.key);
    } catch (error) {
      if (!(error instanceof Refusal)) throw error;
      reply.refused.push({ device: device.key, why: problemOf(error).detail });
    }
  }
  return reply;
}
