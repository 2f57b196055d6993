/** What booting devices, and packets about them, leave to be done. */
import { diagnosisWords } from '@zpine/core/arrival/diagnosis';
import { isTalker, strangerName } from '@zpine/contract/strangerWords';
import { stateOf } from '../arrivals/arrivals.ts';
import { vainBoots } from '../arrivals/vain.ts';
import { listStrangers } from '../arrivals/strangers.ts';
import { lowPools } from '../boot/leaseList.ts';
import { refusedRelays } from '../boot/relays.ts';
import { allOf } from '../../store/records.ts';
import { profileLints } from '../boot/lints.ts';
import { Found, whole, type Finding, type Look } from './matter.ts';

/** Arrivals that do not go on, each with the reason. */
export const stuckArrivals: Look = async (tx, { limit }) => {
  const rows = await tx.select<{ device_key: string; state: string }>(
    `SELECT device_key, state FROM arrival WHERE ended_at IS NULL AND diagnosis IS NOT NULL AND diagnosis <> 'ssh-waiting'
     ORDER BY id DESC LIMIT ${limit}`,
  );
  return whole(
    rows.flatMap((row): Finding[] => {
      const { diagnosis } = stateOf(row);
      if (!diagnosis) return [];
      const { title, detail } = diagnosisWords(diagnosis);
      return [
        {
          kind: 'device',
          key: row.device_key,
          detail: `${title}: ${detail}`,
          remedy: `zpine arrival show ${row.device_key}`,
          since: diagnosis.since === null ? null : new Date(diagnosis.since),
        },
      ];
    }),
  );
};

export const waitingStrangers: Look = async (tx, { limit }) => {
  const { items } = await listStrangers(tx, { settled: 'false' }, limit);
  return whole(
    items.map((s) => {
      const [best] = s.candidates;
      const where = [s.site && `at ${s.site.toUpperCase()}`, s.relay && `behind relay ${s.relay}`]
        .filter(Boolean)
        .join(' ');
      const vendor = s.vendorClass ? `, vendor class “${s.vendorClass}”` : '';
      const looks = s.conflict ? `. ${s.conflict}` : best ? `. Looks like ${best.device}` : '';
      const at = [s.site && `at ${s.site.toUpperCase()}`, `from ${s.address ?? ''}`].filter(Boolean).join(' ');
      return {
        kind: 'stranger',
        key: strangerName(s),
        detail: isTalker(s)
          ? `talks ${at}: ${s.says ?? ''}${looks}`
          : `boots ${where || 'on the wire of the service'}${vendor}${looks}`,
        remedy: 'zpine stranger list',
        since: new Date(s.firstAt),
      };
    }),
  );
};

/** Devices that boot again and again, and are given nothing to boot. */
export const bootsInVain: Look = async (tx, { limit }) =>
  whole(
    (await vainBoots(tx, limit)).map(({ device, why, relay, circuit, since }) => {
      const where = [relay && `behind relay ${relay}`, circuit && `in ${circuit}`].filter(Boolean).join(', ');
      return {
        kind: 'device',
        key: device,
        detail: `it boots${where === '' ? '' : ` ${where}`} and is given no file: ${why}`,
        remedy: why.includes('window') ? `zpine arrival open ${device}` : `zpine dhcp explain ${device}`,
        since,
      };
    }),
  );

/** Packets that nobody is believed to have sent for a relay. */
export const unbelievedRelays: Look = async (tx, { limit }) =>
  whole(
    (await refusedRelays(tx)).slice(0, limit).map(({ prefix, detail, remedy, since }) => ({
      kind: 'prefix',
      key: prefix,
      detail: detail.replace(/\.$/, ''),
      remedy,
      since: new Date(since),
    })),
  );

/** Pools that will have no address left for the next who asks. */
export const poolsRunningOut: Look = async (tx, { limit }) =>
  whole(
    (await lowPools(tx)).slice(0, limit).map(({ prefix, pool, size, held, leftAlone }) => {
      const alone = leftAlone === 0 ? '' : `, ${leftAlone} left alone`;
      const what = pool === 'pool' ? 'DHCP pool' : 'quarantine pool';
      return {
        kind: 'prefix',
        key: prefix,
        detail: `${held} of ${size} addresses of the ${what} are held${alone}`,
        remedy: `zpine lease list --prefix ${prefix}`,
        since: null,
      };
    }),
  );

/** Boot profiles as devices would take them: a few records, each looked at whole. */
export const unfollowed: Look = async (tx, { limit }) => {
  const found = new Found(limit);
  for (const profile of await allOf(tx, 'bootprofile'))
    for (const lint of await profileLints(tx, profile))
      found.add(() => ({ kind: 'bootprofile', key: profile.key, ...lint }));
  return found.looked;
};
