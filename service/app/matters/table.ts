/** How each thing that is looked for is found. Its words are in contract/matters.ts; another one is a row here and there. */
import type { MatterName } from '@zpine/contract/matters';
import { lackingIds, type LackName } from '../devices/lacks.ts';
import { addressesOffSite, cablesOffSite } from '../devices/offSite.ts';
import type { Tx } from '../../store/tx.ts';
import {
  poolsRunningOut,
  unfollowed,
  stuckArrivals,
  unbelievedRelays,
  waitingStrangers,
  bootsInVain,
} from './booting.ts';
import type { Look } from './matter.ts';
import { withoutCredentials, namesOffPattern, withoutDialect } from './devices.ts';
import { unattachedAddresses, differentPrefixes, endsInWords, vlansOnOneEnd } from './links.ts';
import { nearlyFull, runningOutIds, runsOut, unmanagedSites } from './prefixes.ts';
import { broken } from './asserted.ts';
import { drifting, unkept } from './drifting.ts';
import { otherVersions, withoutContent } from './images.ts';
import { notCaptured, notices } from './watching.ts';

export interface Matter {
  /** What a device lacks: all of them are asked together. */
  lack?: LackName;
  find?: Look;
  /**
   * In a large estate, where whole tables are not looked through for each list of today: the ids of what it concerns, as
   * SQL or by a look of its own.
   */
  leads?: string | ((tx: Tx) => Promise<number[]>);
}

const lack = (name: LackName): Matter => ({ lack: name, leads: lackingIds(name) });

const offSite = (look: typeof addressesOffSite): Matter => ({
  find: async (tx, { limit }) => {
    const { rows, count } = await look(tx, limit);
    return {
      rows: rows.map(({ kind, key, detail, remedy }) => ({ kind, key, detail, remedy, since: null })),
      count,
    };
  },
});

export const table: Record<MatterName, Matter> = {
  stuck: { find: stuckArrivals },
  stranger: { find: waitingStrangers },
  vain: { find: bootsInVain },
  relay: { find: unbelievedRelays },
  'pool-low': { find: poolsRunningOut },
  notice: { find: notices },
  drift: { find: drifting },
  unkept: { find: unkept },
  'check-failure': { find: broken('failure') },
  check: { find: broken('attention') },
  'not-captured': { find: notCaptured },
  'other-version': { find: otherVersions },
  'no-management': lack('no-management'),
  'no-dialect': { find: withoutDialect },
  'no-access': { find: withoutCredentials },
  'no-box': lack('no-box'),
  'no-rack': lack('no-rack'),
  'no-management-prefix': {
    find: unmanagedSites,
    leads: `SELECT s.id FROM site s WHERE NOT EXISTS (SELECT 1 FROM vlan v JOIN \`use\` u ON u.id = v.use_id AND u.management = 1
      JOIN prefix p ON p.vlan_id = v.id WHERE v.site_id = s.id)`,
  },
  'nearly-full': {
    find: nearlyFull,
    leads: `SELECT p.id FROM prefix p JOIN space f ON f.prefix_id = p.id AND f.holds = 'fixed'
      WHERE f.free * 5 < (SELECT COUNT(*) FROM address a WHERE a.prefix_id = p.id)`,
  },
  'runs-out': { find: runsOut, leads: runningOutIds },
  'link-prefixes': { find: differentPrefixes },
  'vlan-one-end': { find: vlansOnOneEnd },
  'cable-in-words': { find: endsInWords },
  'boot-profile': { find: unfollowed },
  'image-content': { find: withoutContent },
  'name-off-pattern': { find: namesOffPattern },
  'address-alone': { find: unattachedAddresses },
  'address-off-site': offSite(addressesOffSite),
  'cable-off-site': offSite(cablesOffSite),
};
