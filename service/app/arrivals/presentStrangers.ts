/** Strangers as people see them, with the devices that they could be: of many with as many questions as of one. */
import { grouped } from '@zpine/core/lists/grouped';
import type { ShownStranger } from '@zpine/contract/onboardingShapes';
import { isAscii } from '@zpine/core/text/ascii';
import type { Row } from '@zpine/contract/fields';
import type { Stored } from '@zpine/contract/kinds';
import { byIds, byKeys, fromRow, keysOf, keysOfAll, knownKeys } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
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
  const plugged = await pluggedInto(tx, [...new Set(open.flatMap((row) => row.circuit ?? []))]);
  return rows.map((row) => {
    const link = links.get(row.prefix_id ?? 0);
    const box = boxes.get(row.id);
    const site = siteOf(row);
    const settled = row.settled_at !== null;
    const there = row.circuit === null ? undefined : plugged.get(row.circuit);
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
      box: box?.serial ?? null,
      boxOf: knownKeys(tx, 'device').get(box?.device ?? 0) ?? null,
      candidates: settled || site === null ? [] : candidatesOf(row, waiting.get(site) ?? [], box, there),
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
  box: string | null;
}

/** Devices of these sites that wait for hardware: without a box, or with a faulty one. */
async function waitingAt(tx: Tx, sites: number[]): Promise<Map<number, Waiting[]>> {
  if (sites.length === 0) return new Map();
  const rows = await tx.select<Waiting>(
    `SELECT site_id, natural_key, stage, model_id, model, box FROM (
       SELECT d.site_id, d.natural_key, d.stage, d.model_id, m.name AS model, b.serial AS box,
         ROW_NUMBER() OVER (PARTITION BY d.site_id ORDER BY d.sort_key) AS place
       FROM device d LEFT JOIN model m ON m.id = d.model_id LEFT JOIN box b ON b.device_id = d.id
       WHERE d.site_id IN (?) AND d.stage <> 'retired' AND (b.id IS NULL OR b.\`condition\` = 'faulty' OR d.stage = 'faulty')
     ) AS waiting WHERE place <= ${MOST_WAITING} ORDER BY site_id, place`,
    [sites],
  );
  return grouped(rows, (row) => Number(row.site_id));
}

/** The likeliest first: where the cable leads to, then those of its model. */
function candidatesOf(
  row: StrangerRow,
  waiting: readonly Waiting[],
  box: Stored<'box'> | undefined,
  plugged: string | undefined,
): ShownStranger['candidates'] {
  const says = row.vendor_class?.toLowerCase() ?? '';
  const fitting = (one: Waiting): boolean =>
    box ? Number(one.model_id) === box.model : one.model !== null && says.includes(one.model.toLowerCase());
  const hangs = (one: Waiting): boolean => one.natural_key === plugged;
  return waiting
    .toSorted((a, b) => Number(hangs(b)) - Number(hangs(a)) || Number(fitting(b)) - Number(fitting(a)))
    .slice(0, MOST_SHOWN)
    .map((one) => ({
      device: one.natural_key,
      why: [
        ...(hangs(one) ? [`the cable in ${row.circuit} leads to it`] : []),
        one.box === null ? 'has no box' : `its box ${one.box} is faulty`,
        fitting(one) ? 'the model fits' : one.model === null ? 'its model is not said' : `its model is ${one.model}`,
        one.stage,
      ].join(', '),
    }));
}

/** The devices to which the cables of the records lead from the ports that relays name, by what they say. */
async function pluggedInto(tx: Tx, circuits: string[]): Promise<Map<string, string>> {
  const keys = new Map(circuits.map((circuit) => [circuit, circuit.trim().toLowerCase()]));
  const ports = await byKeys(tx, 'port', [...keys.values()]);
  const ways = await pathsFrom(
    tx,
    [...ports.values()].map((port) => port.id),
  );
  const deviceAt = (circuit: string) => {
    const way = ways.get(ports.get(keys.get(circuit) ?? '')?.id ?? 0);
    return way?.ends === 'port' ? (way.hops.at(-1)?.port?.device ?? null) : null;
  };
  const known = await keysOf(tx, 'device', uniqueIds(circuits.map(deviceAt)));
  return new Map(
    circuits.flatMap((circuit) => {
      const device = known.get(deviceAt(circuit) ?? 0);
      return device === undefined ? [] : [[circuit, device] as const];
    }),
  );
}
