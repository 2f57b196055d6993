/** An address lies in the smallest prefix that covers it, and is taken out of that prefix' free space. */
import { parseIp } from '@zpine/core/addressing/ip';
import { formatPrefix, lastOf, networkOf, parsePrefix, usableRange } from '@zpine/core/addressing/prefix';
import { formatRange, parseRanges, spanOf } from '@zpine/core/addressing/ranges';
import { mustParse } from '@zpine/core/fault';
import { grouped } from '@zpine/core/lists/grouped';
import type { Stored } from '@zpine/contract/kinds';
import { asStored, type Draft, type KindRules } from '../records/draft.ts';
import { byId, byIds, find, keyOf, keysOf } from '../../store/records.ts';
import { smallestCoverings, type Host } from '../../store/coverings.ts';
import { bytesOf, lockSpaces, rebuild, occupy, type Holds } from '../../store/spans.ts';
import { occupyMany } from '../../store/spansInBulk.ts';
import type { Tx } from '../../store/tx.ts';

/** From so many in one prefix on they are taken together. */
const MANY = 4;
const holdsAll: readonly Holds[] = ['fixed', 'blocks'];

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
    }
    const fresh = drafts.filter((draft) => !draft.before);
    const hosts = fresh.map((draft) => ({
      vrf: draft.id('vrf') ?? 0,
      ip: mustParse(parseIp(draft.text('address') ?? '')),
    }));
    const covering = await lockedCovering(tx, hosts);
    const prefixes = await byIds(
      tx,
      'prefix',
      covering.filter((id) => id !== undefined),
    );
    for (const [i, draft] of fresh.entries()) {
      const prefix = prefixes.get(covering[i] ?? 0);
      const { ip } = hosts[i] as Host;
      if (prefix) {
        draft.after.prefix = prefix.id;
        checkUsable(draft, ip.value, prefix);
        continue;
      }
      const meant = formatPrefix(networkOf(ip, ip.family === 4 ? 24 : 64));
      const vrf = (await keyOf(tx, 'vrf', draft.id('vrf'))) ?? '';
      draft.fault('address', 'address-outside', { vrf, address: String(draft.after.address), meant });
    }
  },

  async added(tx, records) {
    const taken = records.map((record) => {
      const { prefix, address } = asStored('address', record);
      const { family, value } = mustParse(parseIp(address));
      return { prefix, family, value };
    });
    const byPrefix = grouped(taken, ({ prefix }) => prefix);
    const spaces = await lockSpaces(tx, [...byPrefix.keys()]);
    for (const [prefix, some] of byPrefix) {
      const { family } = some[0] as (typeof some)[number];
      // Gateway and held-back addresses are in no free space to begin with: taking them by name is fine.
      const spans = some.map(({ value }) => ({ first: value, last: value }));
      if (spans.length >= MANY) await occupyMany(tx, prefix, family, spans);
      else
        for (const span of spans)
          await occupy(
            tx,
            holdsAll.flatMap((holds) => spaces.get(`${prefix} ${holds}`) ?? []),
            family,
            span,
          );
      // Taken by name, they rest no more.
      await tx.execute('DELETE FROM resting WHERE prefix_id = ? AND address IN (?)', [
        prefix,
        some.map(({ value }) => bytesOf(family, value)),
      ]);
    }
  },

  async removed(tx, records) {
    for (const record of records) {
      const address = asStored('address', record);
      const { family, value } = mustParse(parseIp(address.address));
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

/** The covering prefixes, held: their shape cannot change until this unit of work ends. */
async function lockedCovering(tx: Tx, hosts: readonly Host[]): Promise<(number | undefined)[]> {
  let covering = await smallestCoverings(tx, hosts);
  for (;;) {
    const ids = [...new Set(covering.filter((id) => id !== undefined))];
    if (ids.length === 0) return covering;
    await lockSpaces(tx, ids);
    const again = await smallestCoverings(tx, hosts);
    if (again.every((id, i) => id === covering[i])) return covering;
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

function checkUsable(draft: Draft, value: bigint, prefix: Stored<'prefix'>): void {
  const p = mustParse(parsePrefix(prefix.cidr));
  const usable = usableRange(p);
  const address = String(draft.after.address);
  if (value < usable.first || value > usable.last) {
    const what = value === p.first ? 'network' : value === lastOf(p) ? 'broadcast' : 'reserved';
    draft.fault('address', 'address-unusable', { address, what, prefix: prefix.key });
  }
  const pool = [prefix.pool, prefix.quarantine].flatMap((text) => (text ? mustParse(parseRanges(text)) : []));
  const inside = pool.find((range) => value >= spanOf(range).first && value <= spanOf(range).last);
  if (inside) draft.fault('address', 'address-in-pool', { address, range: formatRange(inside), prefix: prefix.key });
}
