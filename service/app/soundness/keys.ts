/** Natural keys and what they sort by, put together from the columns once more. */
import type { KindName } from '@zpine/contract/kinds';
import { addressText, forUpdate, numberOf, ranges, type Difference, type Look } from './look.ts';

interface KeyRow {
  id: number;
  natural_key: string;
  sort_key: string;
  /** What the key is made of, in SQL; for addresses their bytes. */
  made: string | null;
  bytes?: Buffer;
  family?: number;
  length?: number;
  vrf?: string;
}

/** The parts of a key as SQL, with the tables that they come from. */
const named = (column: string) => ({ made: `LOWER(t.${column})`, from: '' });
const below = (parent: string, sign: string, rest: string, column = `${parent}_id`) => ({
  made: `LOWER(CONCAT(p.natural_key, '${sign}', ${rest}))`,
  from: `LEFT JOIN \`${parent}\` p ON p.id = t.\`${column}\``,
});
const keysOfKinds: Record<Exclude<KindName, 'prefix' | 'address'>, { made: string; from: string }> = {
  owner: named('name'),
  purpose: named('name'),
  duty: named('name'),
  dialect: named('name'),
  use: named('name'),
  label: named('name'),
  area: named('name'),
  site: named('code'),
  room: below('site', '/', 't.name'),
  rack: below('room', '/', 't.name'),
  filler: below('rack', '/', "CONCAT(t.position_u, '/', t.face)"),
  vendor: named('name'),
  model: below('vendor', '/', 't.name'),
  vrf: named('name'),
  vlan: below('site', '/', 't.number'),
  siteplan: named('name'),
  template: named('name'),
  device: named('name'),
  card: below('device', ':', 't.slot'),
  port: below('device', ':', 't.name'),
  interface: below('device', ':', 't.name'),
  cable: { made: 'p.natural_key', from: 'LEFT JOIN port p ON p.id = t.from_id' },
  box: named('serial'),
  carrier: {
    made: "CONCAT(p.natural_key, '~', i.natural_key)",
    from: 'LEFT JOIN address p ON p.id = t.address_id LEFT JOIN `interface` i ON i.id = t.interface_id',
  },
  setting: named('name'),
  check: named('name'),
  routine: named('name'),
  bootprofile: named('name'),
  image: named('name'),
  batch: named('name'),
  exception: {
    made: "CONCAT(p.natural_key, '/', d.natural_key)",
    from: 'LEFT JOIN `check` p ON p.id = t.check_id LEFT JOIN device d ON d.id = t.device_id',
  },
};

/** Runs of digits behind their length, without leading zeros: `1/10` is `011/0210`. */
function sortText(key: string): string {
  let out = '';
  for (const [, letters = '', digits] of key.matchAll(/([^0-9]*)([0-9]+)?/g)) {
    out += letters;
    if (digits === undefined) continue;
    const plain = digits.length > 1 ? digits.replace(/^0*(.)/, '$1') : digits;
    out += (plain.length < 10 ? '0' : '') + String(plain.length) + plain;
  }
  return out;
}

function wanted(row: KeyRow, kind: KindName): { key: string; sort: string } | undefined {
  if (kind !== 'prefix' && kind !== 'address')
    return row.made === null ? undefined : { key: row.made, sort: sortText(row.made) };
  const { bytes, family = 4, vrf = '', length } = row;
  if (!bytes) return undefined;
  const value = numberOf(bytes, family);
  const text = addressText(value, family) + (kind === 'prefix' ? `/${length}` : '');
  const inDefault = vrf === 'default';
  const digits = value.toString(16);
  const sort = `${inDefault ? '' : vrf} ${family}${'0'.repeat((family === 4 ? 8 : 32) - digits.length)}${digits}`;
  return {
    key: inDefault ? text : `${text}@${vrf}`,
    sort: kind === 'prefix' ? `${sort}/${String(length).padStart(3, '0')}` : sort,
  };
}

const SIZE = 1000;

export const keysOf = (kind: KindName): Look => ({
  async *parts(outer) {
    const { made, from } =
      kind === 'prefix' || kind === 'address'
        ? { made: 'NULL', from: 'LEFT JOIN vrf v ON v.id = t.vrf_id' }
        : keysOfKinds[kind];
    const more =
      kind === 'prefix'
        ? ', t.cidr AS bytes, t.cidr_family AS family, t.cidr_length AS length, v.name AS vrf'
        : kind === 'address'
          ? ', t.address AS bytes, t.address_family AS family, v.name AS vrf'
          : '';
    for await (const { after, to } of ranges(outer, kind, SIZE))
      yield async (tx, locked) => {
        const rows = await tx.select<KeyRow>(
          `SELECT t.id, t.natural_key, t.sort_key, ${made} AS made${more} FROM \`${kind}\` t ${from}
           WHERE t.id > ? AND t.id <= ? ORDER BY t.id ${forUpdate(locked)}`,
          [after, to],
        );
        return rows.flatMap((row): Difference[] => {
          const should = wanted(row, kind);
          if (!should || (should.key === row.natural_key && should.sort === row.sort_key)) return [];
          return [
            {
              about: `key of ${kind} #${row.id}`,
              is: `${row.natural_key} (${row.sort_key})`,
              should: `${should.key} (${should.sort})`,
              mend: [
                [
                  `UPDATE \`${kind}\` SET natural_key = ?, sort_key = ? WHERE id = ?`,
                  [should.key, should.sort, row.id],
                ],
              ],
            },
          ];
        });
      };
  },
});
