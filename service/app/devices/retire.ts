/** Retiring a device: what it leaves free is listed, and given back in the same change set. */
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import type { RetireItem } from '@zpine/contract/retiring';
import type { Stored } from '@zpine/contract/kinds';
import { keyOf, find } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { cablesIn } from '../kinds/cable.ts';
import { editOne } from '../records/edit.ts';
import { mustFind } from '../records/refs.ts';
import { removeAll } from '../records/remove.ts';
import { moveStage } from './stage.ts';

const becomes = { stock: 'goes to stock', faulty: 'is faulty', retired: 'is retired' } as const;

type Kept = Pick<BodyOf<'device.retire'>, 'keep' | 'box'>;

/** What a device holds that others could have; the whole list, also of what is to be kept. */
async function holdingsOf(tx: Tx, device: Stored<'device'>) {
  const interfaces = await find(tx, 'interface', { device_id: device.id });
  const on = { interface_id: interfaces.map((one) => one.id) };
  const ports = await find(tx, 'port', { device_id: device.id });
  const cables = [
    ...new Map(
      [
        ...(
          await cablesIn(
            tx,
            ports.map((one) => one.id),
          )
        ).values(),
      ].map((one) => [one.id, one]),
    ).values(),
  ];
  return {
    addresses: await find(tx, 'address', on, { order: ['sort_key'] }),
    carriers: await find(tx, 'carrier', on, { order: ['sort_key'] }),
    cables: cables.sort((a, b) => (a.key < b.key ? -1 : 1)),
    boxes: await find(tx, 'box', { device_id: device.id }),
  };
}

export async function retire(tx: Tx, ref: string, body: BodyOf<'device.retire'>): Promise<ReplyOf<'device.retire'>> {
  const device = await mustFind(tx, 'device', ref, true);
  const held = await holdingsOf(tx, device);
  const items = await itemsOf(tx, device, held, body);
  if (!body.apply) return { device: device.key, items, applied: false };
  const frees = (what: RetireItem['what']) => !body.keep.includes(what);
  if (frees('addresses')) {
    await removeAll(tx, 'carrier', held.carriers);
    await removeAll(tx, 'address', held.addresses);
  }
  if (frees('cables')) await removeAll(tx, 'cable', held.cables);
  if (frees('box'))
    for (const box of held.boxes) await editOne(tx, 'box', `#${box.id}`, { device: null, condition: body.box });
  if (frees('rack') && device.rack !== null)
    await editOne(tx, 'device', `#${device.id}`, { rack: null, positionU: null });
  await moveStage(tx, `#${device.id}`, 'retired');
  return { device: device.key, items, applied: true };
}

async function itemsOf(
  tx: Tx,
  device: Stored<'device'>,
  held: Awaited<ReturnType<typeof holdingsOf>>,
  { keep, box: condition }: Kept,
): Promise<RetireItem[]> {
  const items: Omit<RetireItem, 'kept'>[] = [
    ...held.addresses.map(({ key, interface: on }) => ({
      what: 'addresses' as const,
      kind: 'address',
      key,
      words: on === device.management ? 'management address, released' : 'released',
    })),
    ...held.carriers.map(({ key }) => ({
      what: 'addresses' as const,
      kind: 'carrier',
      key,
      words: 'carries the shared address no longer',
    })),
    ...held.cables.map(({ key, farEnd }) => ({
      what: 'cables' as const,
      kind: 'cable',
      key,
      words: farEnd === null ? 'removed' : `removed, it leads to ${farEnd}`,
    })),
    ...held.boxes.map(({ key }) => ({
      what: 'box' as const,
      kind: 'box',
      key,
      words: `taken out, ${becomes[condition]}`,
    })),
  ];
  const rack = device.rack === null ? null : await keyOf(tx, 'rack', device.rack);
  if (rack !== null)
    items.push({
      what: 'rack',
      kind: 'rack',
      key: rack,
      words: device.positionU === null ? 'left' : `U ${device.positionU} becomes free`,
    });
  return items.map((item) => ({ ...item, kept: keep.includes(item.what) }));
}

/** Moves a device to a stage as said; one that is retired without the list may still hold something, which is said. */
export async function stageByHand(tx: Tx, ref: string, to: string): Promise<Stored<'device'>> {
  const device = await moveStage(tx, ref, to);
  if (to === 'retired') await remarkHeld(tx, device);
  return device;
}

async function remarkHeld(tx: Tx, device: Stored<'device'>): Promise<void> {
  const items = await itemsOf(tx, device, await holdingsOf(tx, device), { keep: [], box: 'stock' });
  if (items.length === 0) return;
  const of = (what: RetireItem['what']) => items.filter((item) => item.what === what).length;
  const counted = [
    [of('addresses'), 'address', 'addresses'],
    [of('cables'), 'cable', 'cables'],
    [of('box'), 'box', 'boxes'],
    [of('rack'), 'place in a rack', 'places in racks'],
  ] as const;
  const words = counted.flatMap(([n, one, many]) => (n === 0 ? [] : [n === 1 ? `its ${one}` : `${n} ${many}`]));
  tx.remark({
    kind: 'device',
    key: device.key,
    detail: `it is retired and still holds ${words.join(', ')}`,
    remedy: `zpine device retire ${device.key}`,
  });
}
