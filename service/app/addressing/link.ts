/** Both ends of a link at once: a block of two, an address on each end, and each end says where it leads. */
import { formatIp } from '@zpine/core/addressing/ip';
import { lastOf, parsePrefix } from '@zpine/core/addressing/prefix';
import { mustParse } from '@zpine/core/fault';
import { Refusal } from '@zpine/contract/errors';
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { byId, find, keyOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { farEnds } from '../cables/trace.ts';
import { addOne } from '../records/add.ts';
import { editOne } from '../records/edit.ts';
import { mustFindField } from '../records/refs.ts';
import { carve } from './carve.ts';

interface End {
  on: Stored<'interface'>;
  device: Stored<'device'>;
}

export async function link(tx: Tx, body: BodyOf<'address.link'>): Promise<ReplyOf<'address.link'>> {
  const one = await endOf(tx, await mustFindField(tx, 'interface', body.from, 'from'));
  const other =
    body.to === undefined
      ? await throughCable(tx, one)
      : await endOf(tx, await mustFindField(tx, 'interface', body.to, 'to'));
  if (one.on.id === other.on.id) throw Refusal.at(['to'], 'cable-same', { port: one.on.key });
  if (one.on.vrf !== other.on.vrf) {
    const [a, b] = [await keyOf(tx, 'vrf', one.on.vrf), await keyOf(tx, 'vrf', other.on.vrf)];
    throw Refusal.at(['to'], 'vrf-differs', { one: a ?? '', other: b ?? '' });
  }
  const prefix = await blockFor(tx, body, `${one.device.name} to ${other.device.name}`);
  const p = mustParse(parsePrefix(prefix.cidr));
  const addresses: string[] = [];
  for (const [end, value, beyond] of [
    [one, p.first, other],
    [other, lastOf(p), one],
  ] as const) {
    const address = formatIp({ family: p.family, value });
    await addOne(tx, 'address', {
      address,
      vrf: `#${prefix.vrf}`,
      interface: `#${end.on.id}`,
      description: `to ${beyond.on.key}`,
    });
    if (end.on.description === null)
      await editOne(tx, 'interface', `#${end.on.id}`, { description: `to ${beyond.on.key}` });
    addresses.push(address);
  }
  if (!body.apply) tx.discarded = true;
  const ends = [one, other].map(({ on }, i) => ({ interface: on.key, address: `${addresses[i] ?? ''}/${p.length}` }));
  return { applied: body.apply, prefix: prefix.key, ends };
}

const endOf = async (tx: Tx, on: Stored<'interface'>): Promise<End> => ({
  on,
  device: await byId(tx, 'device', on.device),
});

/** Where the cable in its port comes out. */
async function throughCable(tx: Tx, { on }: End): Promise<End> {
  const end = on.port === null ? undefined : (await farEnds(tx, [on.port])).get(on.port);
  const [there] = end?.port ? await find(tx, 'interface', { port_id: end.port }) : [];
  if (!there) throw Refusal.at(['to'], 'link-open', { interface: on.key });
  return endOf(tx, there);
}

/** A block of two that is there already and empty, or the next one out of a larger prefix. */
async function blockFor(tx: Tx, body: BodyOf<'address.link'>, description: string): Promise<Stored<'prefix'>> {
  const given = await mustFindField(tx, 'prefix', body.in, 'in');
  const p = mustParse(parsePrefix(given.cidr));
  const length = p.family === 4 ? 31 : 127;
  if (p.length === length) {
    const [taken] = await find(tx, 'address', { prefix_id: given.id }, { limit: 1 });
    if (taken) throw Refusal.at(['in'], 'link-taken', { prefix: given.key, address: taken.key });
    return given;
  }
  const { items } = await carve(tx, `#${given.id}`, {
    length,
    count: 1,
    way: 'first',
    gateway: 'none',
    description,
    apply: true,
  });
  const [made] = await find(tx, 'prefix', { natural_key: keyIn(items[0]?.cidr ?? '', given.key) });
  if (!made) throw new Error('the block of a link was not made');
  return made;
}

/** A prefix in the VRF of another: `10.77.254.8/31@wireless`. */
const keyIn = (cidr: string, beside: string): string => {
  const at = beside.indexOf('@');
  return at < 0 ? cidr : `${cidr}${beside.slice(at)}`;
};
