/** Which devices hang on a record: stand at a site, are of a model, carry a VLAN. */
import { labelTerm } from '@zpine/core/naming/terms';
import type { Tx } from '../../store/tx.ts';

/** What devices hang on. */
export type Handle =
  | 'device'
  | 'interface'
  | 'port'
  | 'address'
  | 'prefix'
  | 'vlan'
  | 'vrf'
  | 'site'
  | 'area'
  | 'room'
  | 'rack'
  | 'model'
  | 'vendor'
  | 'duty'
  | 'owner'
  | 'use'
  | 'dialect'
  | 'edition'
  | 'arrival'
  | 'ownTemplate';

const SLICE = 1000;

export async function idsBy(tx: Tx, sql: string, values: unknown[] = []): Promise<number[]> {
  const rows = await tx.select<{ id: number | null }>(sql, values);
  return rows.flatMap(({ id }) => (id === null ? [] : [Number(id)]));
}

const column = (sql: string) => async (tx: Tx, ids: number[]) => idsBy(tx, sql, [ids]);

/** Devices that stand at sites, by their own word or by the prefix of their management address. */
const standingAt = (sites: string): string =>
  `SELECT id FROM device WHERE site_id IN (${sites})
   UNION SELECT d.id FROM prefix p JOIN address a ON a.prefix_id = p.id JOIN device d ON d.management_id = a.interface_id
     WHERE d.site_id IS NULL AND p.site_id IN (${sites})`;
const twice = (sql: string) => async (tx: Tx, ids: number[]) => idsBy(tx, sql, [ids, ids]);

const following: Record<Handle, (tx: Tx, ids: number[]) => Promise<number[]>> = {
  device: (_tx, ids) => Promise.resolve(ids),
  interface: column('SELECT device_id AS id FROM interface WHERE id IN (?)'),
  port: column('SELECT device_id AS id FROM port WHERE id IN (?)'),
  address: column(
    'SELECT i.device_id AS id FROM carrier c JOIN interface i ON i.id = c.interface_id WHERE c.address_id IN (?)',
  ),
  prefix: column(
    `SELECT DISTINCT i.device_id AS id FROM address a LEFT JOIN carrier c ON c.address_id = a.id
     JOIN interface i ON i.id = COALESCE(a.interface_id, c.interface_id) WHERE a.prefix_id IN (?)`,
  ),
  vlan: async (tx, ids) => [
    ...(await idsBy(tx, 'SELECT DISTINCT device_id AS id FROM interface WHERE vlan_id IN (?)', [ids])),
    ...(await idsBy(
      tx,
      'SELECT DISTINCT i.device_id AS id FROM interface_vlan v JOIN interface i ON i.id = v.interface_id WHERE v.vlan_id IN (?)',
      [ids],
    )),
  ],
  vrf: column('SELECT DISTINCT device_id AS id FROM interface WHERE vrf_id IN (?)'),
  site: twice(standingAt('?')),
  area: column(
    `WITH RECURSIVE below AS (SELECT id FROM area WHERE id IN (?) UNION SELECT a.id FROM area a JOIN below b ON a.parent_id = b.id),
       there AS (SELECT s.id FROM below b JOIN site s ON s.area_id = b.id) ${standingAt('SELECT id FROM there')}`,
  ),
  room: column('SELECT d.id FROM rack r JOIN device d ON d.rack_id = r.id WHERE r.room_id IN (?)'),
  rack: column('SELECT id FROM device WHERE rack_id IN (?)'),
  model: async (tx, ids) => [
    ...(await idsBy(tx, 'SELECT id FROM device WHERE model_id IN (?)', [ids])),
    ...(await idsBy(tx, 'SELECT device_id AS id FROM box WHERE model_id IN (?)', [ids])),
    ...(await idsBy(tx, 'SELECT device_id AS id FROM card WHERE model_id IN (?)', [ids])),
  ],
  vendor: column('SELECT d.id FROM model m JOIN device d ON d.model_id = m.id WHERE m.vendor_id IN (?)'),
  duty: column('SELECT id FROM device WHERE duty_id IN (?)'),
  owner: column('SELECT id FROM device WHERE owner_id IN (?)'),
  use: twice(standingAt('SELECT site_id FROM vlan WHERE use_id IN (?)')),
  dialect: async (tx, ids) => [
    ...(await idsBy(tx, 'SELECT id FROM device WHERE dialect_id IN (?)', [ids])),
    ...(await idsBy(tx, 'SELECT d.id FROM model m JOIN device d ON d.model_id = m.id WHERE m.dialect_id IN (?)', [
      ids,
    ])),
  ],
  edition: column('SELECT device_id AS id FROM edition WHERE id IN (?)'),
  arrival: column('SELECT device_id AS id FROM arrival WHERE id IN (?)'),
  ownTemplate: column('SELECT id FROM device WHERE template_id IN (?)'),
};

/** Devices that hang on these records, as the records stand now; one may come several times. */
export async function devicesBehind(tx: Tx, handle: Handle, ids: readonly number[]): Promise<number[]> {
  const out: number[] = [];
  for (let at = 0; at < ids.length; at += SLICE)
    for (const id of await following[handle](tx, ids.slice(at, at + SLICE))) out.push(id);
  return out;
}

/** Devices with any of these labels. */
export const devicesLabelled = (tx: Tx, names: Iterable<string>): Promise<number[]> =>
  idsBy(tx, "SELECT record_id AS id FROM search_term WHERE kind = 'device' AND field = 'labels' AND term IN (?)", [
    [...names].map(labelTerm),
  ]);
