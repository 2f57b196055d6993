/** An address lies in the smallest prefix that covers it, and is taken out of that prefix' free space. */
import { parseIp } from '@zpine/core/addressing/ip';
import {
  formatPrefix,
  lastOf,
  networkOf,
  parsePrefix,
  truncations,
  usableRange,
  type Prefix,
} from '@zpine/core/addressing/prefix';
import { formatRange, parseRanges, spanOf } from '@zpine/core/addressing/ranges';
import { sure } from '@zpine/core/fault';
import { type Stored } from '@zpine/contract/kinds';
import { as, type Draft, type KindRules } from '../records/draft.ts';
import { byId, byIds, find, keyOf, keysOf } from '../../store/records.ts';
import { bytesOf, lockSpaces, rebuild, smallestCovering, take } from '../../store/spans.ts';
import { type Tx } from '../../store/tx.ts';

export const addressRules: KindRules = {
  async prepare(tx, drafts) {
    const interfaces = await byIds(
      tx,
      'interface',
      drafts.map((d) => d.id('interface')).filter((id) => id !== null),
    );
    for (const draft of drafts) {
      await checkShared(tx, draft);
      await followInterface(tx, draft, interfaces.get(draft.id('interface') ?? 0));
      if (draft.before) continue;
      const ip = sure(parseIp(String(draft.after.address)));
      const host = networkOf(ip, ip.family === 4 ? 32 : 128);
      const covering = await lockedCovering(tx, draft.id('vrf') ?? 0, [host, ...truncations(host)]);
      if (covering === undefined) {
        const meant = formatPrefix(networkOf(ip, ip.family === 4 ? 24 : 64));
        const vrf = (await keyOf(tx, 'vrf', draft.id('vrf'))) ?? '';
        draft.fault('address', 'address-outside', { vrf, address: String(draft.after.address), meant });
        continue;
      }
      draft.after.prefix = covering;
      await checkUsable(tx, draft, ip.value, covering);
    }
  },

  async added(tx, records) {
    for (const record of records) {
      const address = as('address', record);
      const { family, value } = sure(parseIp(address.address));
      const spaces = await lockSpaces(tx, [address.prefix]);
      // Gateway and held-back addresses are in no free space to begin with: taking them by name is fine.
      await take(tx, spaces.values(), family, { first: value, last: value });
      // Taken by name, it rests no more.
      await tx.execute('DELETE FROM resting WHERE prefix_id = ? AND address = ?', [
        address.prefix,
        bytesOf(family, value),
      ]);
    }
  },

  async removed(tx, records) {
    for (const record of records) {
      const address = as('address', record);
      const { family, value } = sure(parseIp(address.address));
      await lockSpaces(tx, [address.prefix]);
      const prefix = await byId(tx, 'prefix', address.prefix);
      // What is taken back was never really given away.
      if (prefix.restSeconds && !tx.takingBack)
        await tx.execute('REPLACE INTO resting (prefix_id, address, until_at) VALUES (?, ?, ? + INTERVAL ? SECOND)', [
          prefix.id,
          bytesOf(family, value),
          await tx.now(),
          prefix.restSeconds,
        ]);
      await rebuild(tx, prefix, { first: value, last: value });
    }
  },
};

/** The covering prefix, held: its shape cannot change until this unit of work ends. */
async function lockedCovering(tx: Tx, vrf: number, candidates: Prefix[]): Promise<number | undefined> {
  let covering = await smallestCovering(tx, vrf, candidates);
  for (;;) {
    if (covering === undefined) return undefined;
    await lockSpaces(tx, [covering]);
    const again = await smallestCovering(tx, vrf, candidates);
    if (again === covering) return covering;
    covering = again;
  }
}

/** The VRF is that of the interface where it was not given. */
async function followInterface(tx: Tx, draft: Draft, on: Stored<'interface'> | undefined): Promise<void> {
  if (!on) return;
  if (!draft.before && !draft.given.has('vrf')) draft.after.vrf = on.vrf;
  if (on.vrf !== draft.id('vrf')) {
    const [one, other] = [await keyOf(tx, 'vrf', on.vrf), await keyOf(tx, 'vrf', draft.id('vrf'))];
    draft.fault('interface', 'vrf-differs', { one: one ?? '', other: other ?? '' });
  }
}

/** An address that several carry is on no interface of its own. */
async function checkShared(tx: Tx, draft: Draft): Promise<void> {
  const address = String(draft.after.address);
  if (draft.after.shared === true) {
    if (draft.id('interface') !== null) draft.fault('interface', 'shared-interface', { address });
    return;
  }
  if (!draft.before || !draft.changes('shared')) return;
  const carriers = await find(tx, 'carrier', { address_id: draft.before.id }, { limit: 5 });
  const on = await keysOf(
    tx,
    'interface',
    carriers.map((one) => one.interface),
  );
  if (carriers.length > 0)
    draft.fault('shared', 'shared-carried', { address, interfaces: [...on.values()].join(', ') });
}

async function checkUsable(tx: Tx, draft: Draft, value: bigint, prefixId: number): Promise<void> {
  const prefix = await byId(tx, 'prefix', prefixId);
  const p = sure(parsePrefix(prefix.cidr));
  const usable = usableRange(p);
  const address = String(draft.after.address);
  if (value < usable.first || value > usable.last) {
    const what = value === p.first ? 'network' : value === lastOf(p) ? 'broadcast' : 'reserved';
    draft.fault('address', 'address-unusable', { address, what, prefix: prefix.key });
  }
  const pool = [prefix.pool, prefix.quarantine].flatMap((text) => (text ? sure(parseRanges(text)) : []));
  const inside = pool.find((range) => value >= spanOf(range).first && value <= spanOf(range).last);
  if (inside) draft.fault('address', 'address-in-pool', { address, range: formatRange(inside), prefix: prefix.key });
}
