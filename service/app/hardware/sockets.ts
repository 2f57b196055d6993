/** What sockets devices should have by what their models and cards bring. */
import { grouped } from '@zpine/core/lists/grouped';
import { expandPorts, type Socket } from '@zpine/core/rack/portGroups';
import { mustParse } from '@zpine/core/fault';
import type { Stored } from '@zpine/contract/kinds';
import { byIds, find } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';

/** A socket of a device, and what brings it. */
export interface Brought extends Socket {
  source: 'model' | 'card';
  card: Stored<'card'> | null;
}

export interface Hardware {
  device: Stored<'device'>;
  model: Stored<'model'> | undefined;
  cards: { card: Stored<'card'>; model: Stored<'model'> | undefined }[];
  sockets: Brought[];
  /** A name that two of them would have. */
  clash: string | undefined;
}

export async function hardwareOf(tx: Tx, devices: Stored<'device'>[]): Promise<Hardware[]> {
  const cards = await find(tx, 'card', { device_id: devices.map((d) => d.id) }, { order: ['sort_key'] });
  const models = await byIds(tx, 'model', [
    ...devices.flatMap((d) => d.model ?? []),
    ...cards.map((card) => card.model),
  ]);
  // Many devices have the same model: its patterns are read once.
  const read = new Map<string, Socket[]>();
  const socketsOf = (model: Stored<'model'> | undefined, slot: string | null): Socket[] => {
    if (!model?.ports) return [];
    const at = `${model.id} ${slot ?? ''}`;
    let sockets = read.get(at);
    if (!sockets) read.set(at, (sockets = mustParse(expandPorts(model.ports, slot))));
    return sockets;
  };
  const byDevice = grouped(cards, (card) => card.device);
  return devices.map((device) => {
    const model = models.get(device.model ?? 0);
    const own = (byDevice.get(device.id) ?? []).map((card) => ({ card, model: models.get(card.model) }));
    const sockets: Brought[] = socketsOf(model, null).map((s) => ({ ...s, source: 'model', card: null }));
    for (const { card, model: of } of own)
      sockets.push(...socketsOf(of, card.slot).map((s): Brought => ({ ...s, source: 'card', card })));
    const seen = new Set<string>();
    const clash = sockets.find(({ name }) => {
      const key = name.toLowerCase();
      if (seen.has(key)) return true;
      seen.add(key);
      return false;
    })?.name;
    return { device, model, cards: own, sockets, clash };
  });
}
