import { Refusal } from '@zpine/contract/errors';
import { type BodyOf, type QueryOf, type ReplyOf } from '@zpine/contract/routes';
import { mustFind, mustFindField } from '../records/refs.ts';
import { keyOf } from '../../store/records.ts';
import { type Tx } from '../../store/tx.ts';
import { managementPrefix } from './management.ts';
import { familyOf, nextIn, proposalOf, takeNextIn, type Proposal } from './next.ts';

/** The next free address, without taking it. */
export async function propose(tx: Tx, query: QueryOf<'address.propose'>): Promise<Proposal> {
  const prefix =
    query.prefix !== undefined
      ? await mustFindField(tx, 'prefix', query.prefix, 'prefix')
      : query.device !== undefined
        ? await managementPrefix(tx, await mustFindField(tx, 'device', query.device, 'device'), familyOf(query.family))
        : undefined;
  if (!prefix) throw Refusal.at(['prefix'], 'value-missing');
  return proposalOf(tx, prefix, await nextIn(tx, prefix, query.from));
}

/** Takes the next free address of a prefix. */
export async function assign(tx: Tx, input: BodyOf<'address.assign'>): Promise<ReplyOf<'address.assign'>> {
  const prefix = await mustFindField(tx, 'prefix', input.prefix, 'prefix');
  const on =
    input.interface === undefined ? undefined : await mustFindField(tx, 'interface', input.interface, 'interface');
  const device = on ? await mustFind(tx, 'device', `#${on.device}`) : undefined;
  const { address, left } = await takeNextIn(tx, prefix, input.from, on ?? null, input.description ?? null);
  return {
    ...(await proposalOf(tx, prefix, address.address, left)),
    device: device?.key ?? null,
    interface: await keyOf(tx, 'interface', address.interface),
    gateway: prefix.gateway,
    assigned: true,
  };
}
