import { Refusal } from '@zpine/contract/errors';
import type { BodyOf, QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { addOne } from '../records/add.ts';
import { mustFind, mustFindField } from '../records/refs.ts';
import { keyOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { placeFor } from './handOut.ts';
import { managementPrefix } from './managementPrefix.ts';
import { writtenLength } from './lengths.ts';
import { familyOf, nextIn, proposalOf, assignNextIn, type Proposal } from './next.ts';

/** The next free address, without taking it. */
export async function propose(tx: Tx, query: QueryOf<'address.propose'>): Promise<Proposal> {
  const device = query.device === undefined ? undefined : await mustFindField(tx, 'device', query.device, 'device');
  const prefix =
    query.prefix !== undefined
      ? await mustFindField(tx, 'prefix', query.prefix, 'prefix')
      : device && (await managementPrefix(tx, device, familyOf(query.family)));
  if (!prefix) throw Refusal.at(['prefix'], 'value-missing');
  const { from, exactly } = await placeFor(tx, prefix, device, query.from);
  return proposalOf(tx, prefix, exactly ?? (await nextIn(tx, prefix, from)));
}

/** Takes the next free address of a prefix; for a device where its rules say. */
export async function assign(tx: Tx, input: BodyOf<'address.assign'>): Promise<ReplyOf<'address.assign'>> {
  const prefix = await mustFindField(tx, 'prefix', input.prefix, 'prefix');
  const on =
    input.interface === undefined ? undefined : await mustFindField(tx, 'interface', input.interface, 'interface');
  const device = on ? await mustFind(tx, 'device', `#${on.device}`) : undefined;
  const { from, exactly } = await placeFor(tx, prefix, device, input.from);
  const description = input.description ?? null;
  const { address, left } =
    exactly !== undefined && on
      ? { address: await assignAddress(tx, prefix, exactly, on, description), left: undefined }
      : await assignNextIn(tx, prefix, from, on ?? null, description);
  return {
    ...(await proposalOf(tx, prefix, address.address, left)),
    length: writtenLength(on?.form, prefix),
    device: device?.key ?? null,
    interface: await keyOf(tx, 'interface', address.interface),
    gateway: prefix.gateway,
    assigned: true,
  };
}

/** Takes one address by name, for an interface; it must lie in this very prefix. */
export async function assignAddress(
  tx: Tx,
  prefix: Stored<'prefix'>,
  address: string,
  on: Stored<'interface'>,
  description: string | null,
): Promise<Stored<'address'>> {
  const taken = await addOne(tx, 'address', {
    address,
    interface: `#${on.id}`,
    vrf: `#${prefix.vrf}`,
    ...(description === null ? {} : { description }),
  });
  if (taken.prefix !== prefix.id)
    throw Refusal.at(['address'], 'address-outside-prefix', { address, prefix: prefix.key });
  return taken;
}
