/** Where installers act: at the sites of a list of theirs, until a day. Everybody above acts everywhere. */
import { isSwapped } from '../swaps/waits.ts';
import { Refusal } from '@zpine/contract/errors';
import { atLeast } from '@zpine/contract/roles';
import type { Stored } from '@zpine/contract/kinds';
import { keyOf, keysOf } from '../../store/records.ts';
import { Instant } from '../../store/instant.ts';
import type { Tx } from '../../store/tx.ts';
import { sitesOf } from '../devices/inForce.ts';
import { mustFindField } from '../records/refs.ts';
import type { User } from './who.ts';

export interface Sites {
  /** By key; `all` of those who stand for every site. */
  sites: string[] | 'all';
  /** The end of it; null for none. */
  until: string | null;
}

export async function sitesOfUsers(tx: Tx, users: readonly number[]): Promise<Map<number, Sites>> {
  if (users.length === 0) return new Map();
  const heads = await tx.select<{ id: number; all_sites: number; sites_until: Date | null }>(
    'SELECT id, all_sites, sites_until FROM user WHERE id IN (?)',
    [users],
  );
  const rows = await tx.select<{ user_id: number; site_id: number }>(
    'SELECT user_id, site_id FROM user_site WHERE user_id IN (?)',
    [users],
  );
  const keys = await keysOf(
    tx,
    'site',
    rows.map((row) => Number(row.site_id)),
  );
  return new Map(
    heads.map(({ id, all_sites, sites_until }) => {
      const own = rows.filter((row) => Number(row.user_id) === Number(id));
      const named = own.map((row) => keys.get(Number(row.site_id)) ?? `#${row.site_id}`).sort();
      return [Number(id), { sites: all_sites ? 'all' : named, until: sites_until?.toISOString() ?? null }];
    }),
  );
}

/** Refuses an installer who acts on a device of a site that is not theirs, or not any more. */
export async function mustActAt(tx: Tx, user: User, device: Stored<'device'>): Promise<void> {
  if (atLeast(user.role, 'engineer')) return;
  // A token with a lesser role does not stand for more than its user.
  const held = (await sitesOfUsers(tx, [user.id])).get(user.id) ?? { sites: [], until: null };
  const over = held.until !== null && Date.parse(held.until) <= (await tx.now()).ms;
  const siteId = device.site ?? (await sitesOf(tx, [device])).get(device.id) ?? null;
  const site = await keyOf(tx, 'site', siteId);
  if (!over && (held.sites === 'all' || (site !== null && held.sites.includes(site)))) return;
  const theirs = held.sites === 'all' ? 'every site' : held.sites.join(', ') || 'no site';
  throw new Refusal('site-not-yours', {
    device: device.key,
    site: site ?? 'no site',
    sites: over ? `${theirs} until ${held.until?.slice(0, 10) ?? ''}, which is over` : theirs,
    user: user.name,
  });
}

/** Other hardware becomes a device that serves only by an engineer's hand; one that lets the service in now does serve. */
export async function mustNotServe(tx: Tx, user: User, device: Stored<'device'>): Promise<void> {
  if (atLeast(user.role, 'engineer')) return;
  // Whoever began its swap made sure that it lets nobody in, or is an engineer.
  if (await isSwapped(tx, device.id)) return;
  if (device.stage === 'serving') throw new Refusal('serving-not-yours', { device: device.key });
  // Whoever marked it faulty has looked at it.
  if (device.stage !== 'faulty' && (await tx.letsIn(device.id)))
    throw new Refusal('reached-not-yours', { device: device.key, stage: device.stage });
}

/** A device that works is taken out by an engineer; one that lets nobody in by whoever stands before it. */
export async function mustNotWork(tx: Tx, user: User, device: Stored<'device'>): Promise<void> {
  if (atLeast(user.role, 'engineer') || device.stage === 'faulty') return;
  if (await tx.letsIn(device.id)) throw new Refusal('reached-not-yours', { device: device.key, stage: device.stage });
}

export async function setSites(tx: Tx, user: number, sites: string[] | 'all', until: string | null): Promise<void> {
  const ids: number[] = [];
  if (sites !== 'all') for (const site of sites) ids.push((await mustFindField(tx, 'site', site, 'sites')).id);
  await tx.execute('UPDATE user SET all_sites = ?, sites_until = ? WHERE id = ?', [
    sites === 'all' ? 1 : 0,
    until === null ? null : Instant.of(until),
    user,
  ]);
  await tx.execute('DELETE FROM user_site WHERE user_id = ?', [user]);
  const rows = [...new Set(ids)].map((site) => ({ user_id: user, site_id: site }));
  if (rows.length > 0) await tx.insertRows('user_site', rows, '');
}
