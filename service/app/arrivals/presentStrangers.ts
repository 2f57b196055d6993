/** Strangers as people see them, with the devices that they could be: of many with as many questions as of one. */
import { boxName } from '@zpine/core/naming/boxName';
import { grouped } from '@zpine/core/lists/grouped';
import type { ShownStranger } from '@zpine/contract/onboardingShapes';
import { isAscii } from '@zpine/core/text/ascii';
import type { Row } from '@zpine/contract/fields';
import type { Stored } from '@zpine/contract/kinds';
import { allOf, byIds, fromRow, keysOf, keysOfAll, knownKeys } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { knownDialects } from '../boot/facts.ts';
import { portsNamed } from './plugged.ts';
import { saidModel } from './saidModel.ts';
import { pathsFrom } from '../cables/trace.ts';
import { uniqueIds } from '../settings/layers.ts';
import { maybe, number, table, text, time, type RowOf } from '../../store/table.ts';
import { columnsFor } from '../../store/models.ts';

export const strangers = table('stranger', {
  id: number,
  client: text,
  mac: text,
  serial: maybe(text),
  vendor_class: maybe(text),
  relay: maybe(text),
  circuit: maybe(text),
  prefix_id: maybe(number),
  address: maybe(text),
  first_at: time,
  last_at: time,
  packets: number,
  device_id: maybe(number),
  conflict: maybe(text),
  settled_at: maybe(time),
  settled_by: maybe(text),
  settled_as: maybe(text),
  account: maybe(text),
  account_at: maybe(text),
  says: maybe(text),
  met_at: maybe(time),
  version: number,
});
export type StrangerRow = RowOf<typeof strangers>;

export async function presentStrangers(tx: Tx, rows: StrangerRow[]): Promise<ShownStranger[]> {
  const links = await byIds(tx, 'prefix', rows, 'prefix_id');
  const boxes = await boxesOf(tx, rows);
  await keysOfAll(tx, [
    ['site', uniqueIds([...links.values()].map((link) => link.site))],
    ['device', uniqueIds([...rows.map((row) => row.device_id), ...[...boxes.values()].map((box) => box.device)])],
  ]);
  const open = rows.filter((row) => row.settled_at === null);
  const siteOf = (row: StrangerRow) => links.get(row.prefix_id ?? 0)?.site ?? null;
  const waiting = await waitingAt(tx, uniqueIds(open.map(siteOf)));
  const kinds = open.length === 0 ? nothingKnown : await kindsKnown(tx);
  const windows = await windowsOf(tx, uniqueIds(rows.map((row) => row.device_id)));
  const plugged = await pluggedInto(tx, open);
  return rows.map((row) => {
    const link = links.get(row.prefix_id ?? 0);
    const box = boxes.get(row.id);
    const site = siteOf(row);
    const settled = row.settled_at !== null;
    const there = plugged.get(row.id);
    return {
      id: row.id,
      client: row.client,
      mac: row.mac,
      serial: row.serial,
      vendorClass: row.vendor_class,
      relay: row.relay,
      circuit: row.circuit,
      prefix: link?.key ?? null,
      site: site === null ? null : (tx.keys.get('site')?.get(site) ?? null),
      address: row.address,
      says: row.says,
      metAt: row.met_at?.toISOString() ?? null,
      firstAt: row.first_at.toISOString(),
      lastAt: row.last_at.toISOString(),
      packets: row.packets,
      conflict: row.conflict,
      box: box ? boxName(box) : null,
      boxOf: knownKeys(tx, 'device').get(box?.device ?? 0) ?? null,
      boxIs: box?.condition ?? null,
      windowOpen: row.device_id === null ? null : windows.has(Number(row.device_id)),
      candidates: settled || site === null ? [] : candidatesOf(row, waiting.get(site) ?? [], box, there, kinds),
      settledAt: row.settled_at?.toISOString() ?? null,
      settledAs: row.settled_as,
      device: row.device_id === null ? null : (tx.keys.get('device')?.get(row.device_id) ?? `#${row.device_id}`),
      version: row.version,
    };
  });
}

/** The boxes of the records that strangers are, by stranger: by serial, or else by MAC. */
export async function boxesOf(tx: Tx, rows: StrangerRow[]): Promise<Map<number, Stored<'box'>>> {
  if (rows.length === 0) return new Map();
  // Keys are ASCII; no record has another letter, and no column of theirs holds one.
  const serials = rows.map((row) => row.serial?.toLowerCase() ?? '').filter(isAscii);
  const macs = [...new Set(rows.map((row) => row.mac))].map((mac) => Buffer.from(mac.replaceAll(':', ''), 'hex'));
  const found = await tx.select<Row>(
    `SELECT ${columnsFor('box')} FROM box WHERE natural_key IN (?)
     UNION SELECT ${columnsFor('box', 'b')} FROM mac_claim c JOIN box b ON b.id = c.record_id WHERE c.kind = 'box' AND c.mac IN (?)`,
    [serials.length > 0 ? serials : [''], macs],
  );
  const boxes = found.map((row) => fromRow('box', row));
  const bySerial = new Map(boxes.map((box) => [box.key, box]));
  const byMac = new Map(boxes.map((box) => [box.mac, box]));
  return new Map(
    rows.flatMap((row) => {
      const box = bySerial.get(row.serial?.toLowerCase() ?? '') ?? byMac.get(row.mac);
      return box ? [[row.id, box] as const] : [];
    }),
  );
}

/** So many devices of a site are thought of, and so many shown. */
const MOST_WAITING = 50;
const MOST_SHOWN = 8;

interface Waiting {
  site_id: number;
  natural_key: string;
  stage: string;
  model_id: number | null;
  model: string | null;
  dialect_id: number;
  box: string | null;
}

/** Devices of these sites that boot, and wait for hardware: without a box, or with a faulty one. */
async function waitingAt(tx: Tx, sites: number[]): Promise<Map<number, Waiting[]>> {
  if (sites.length === 0) return new Map();
  const rows = await tx.select<Waiting>(
    `SELECT site_id, natural_key, stage, model_id, model, dialect_id, box FROM (
       SELECT d.site_id, d.natural_key, d.stage, d.model_id, m.name AS model, COALESCE(d.dialect_id, m.dialect_id) AS dialect_id,
         b.natural_key AS box,
         ROW_NUMBER() OVER (PARTITION BY d.site_id ORDER BY d.sort_key) AS place
       FROM device d LEFT JOIN model m ON m.id = d.model_id LEFT JOIN box b ON b.device_id = d.id
       WHERE d.site_id IN (?) AND d.stage <> 'retired' AND d.virtual = 0 AND COALESCE(d.dialect_id, m.dialect_id) IS NOT NULL
         AND (b.id IS NULL OR b.\`condition\` = 'faulty' OR d.stage = 'faulty'
           OR EXISTS (SELECT 1 FROM swap w WHERE w.device_id = d.id AND w.closed_at IS NULL AND w.state = 'begun'))
     ) AS waiting WHERE place <= ${MOST_WAITING} ORDER BY site_id, place`,
    [sites],
  );
  return grouped(rows, (row) => Number(row.site_id));
}

/** It was heard of by what it says of itself, and not by DHCP. */
export const talks = ({ client }: Pick<StrangerRow, 'client'>): boolean => client.startsWith('at ');

/** What is known of models and dialects, by which a client is told from another. */
interface Kinds {
  models: readonly Stored<'model'>[];
  /** How devices of a dialect call themselves, by its id. */
  classes: ReadonlyMap<number, string>;
}
const nothingKnown: Kinds = { models: [], classes: new Map() };

async function kindsKnown(tx: Tx): Promise<Kinds> {
  const dialects = [...(await knownDialects(tx))];
  return {
    models: await allOf(tx, 'model'),
    classes: new Map(
      dialects.flatMap(([id, { sheet }]) => (sheet?.boot ? [[id, sheet.boot.vendorClass] as const] : [])),
    ),
  };
}

/** Those that it can be at all, the likeliest first: where the cable leads to, then those whose model is known to be its own. */
function candidatesOf(
  row: StrangerRow,
  waiting: readonly Waiting[],
  box: Stored<'box'> | undefined,
  plugged: string | undefined,
  { models, classes }: Kinds,
): ShownStranger['candidates'] {
  const says = row.vendor_class;
  const model = box?.model ?? saidModel(models, says)?.id;
  const fits = (one: Waiting): boolean | undefined =>
    model === undefined || one.model_id === null ? undefined : Number(one.model_id) === model;
  const begins = (one: Waiting) => classes.get(Number(one.dialect_id));
  // One that talks and does not boot says no class of DHCP.
  const speaks = (one: Waiting): boolean => says === null || talks(row) || says.startsWith(begins(one) ?? '');
  const hangs = (one: Waiting): boolean => one.natural_key === plugged;
  return waiting
    .filter((one) => fits(one) !== false && speaks(one))
    .toSorted((a, b) => Number(hangs(b)) - Number(hangs(a)) || Number(fits(b) ?? 0) - Number(fits(a) ?? 0))
    .slice(0, MOST_SHOWN)
    .map((one) => ({
      device: one.natural_key,
      hangs: hangs(one),
      fits: fits(one) === true,
      why: [
        ...(hangs(one) ? [`the cable in ${row.circuit} leads to it`] : []),
        one.box === null ? 'has no box' : `its box ${one.box} is faulty`,
        fits(one) ? 'the model fits' : one.model === null ? 'its model is not said' : `its model is ${one.model}`,
        one.stage,
      ].join(', '),
    }));
}

/** Which of these devices may fetch their files now. */
async function windowsOf(tx: Tx, devices: number[]): Promise<Set<number>> {
  if (devices.length === 0) return new Set();
  const rows = await tx.select<{ device_id: number }>(
    'SELECT device_id FROM arrival WHERE device_id IN (?) AND ended_at IS NULL AND closes_at > ?',
    [devices, tx.aboutNow()],
  );
  return new Set(rows.map((row) => Number(row.device_id)));
}

/** By stranger: the device to which the cable leads from the port that its relay names. */
async function pluggedInto(tx: Tx, rows: readonly StrangerRow[]): Promise<Map<number, string>> {
  const portOf = await portsNamed(tx, rows);
  const ports = new Map(rows.flatMap((row) => (portOf(row) ? [[row.id, portOf(row)?.id ?? 0] as const] : [])));
  const ways = await pathsFrom(tx, uniqueIds([...ports.values()]));
  const deviceAt = (port: number | undefined) => {
    const way = ways.get(port ?? 0);
    return way?.ends === 'port' ? (way.hops.at(-1)?.port?.device ?? null) : null;
  };
  const known = await keysOf(tx, 'device', uniqueIds([...ports.values()].map(deviceAt)));
  return new Map(
    [...ports].flatMap(([id, port]) => {
      const device = known.get(deviceAt(port) ?? 0);
      return device === undefined ? [] : [[id, device] as const];
    }),
  );
}
