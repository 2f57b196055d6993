/** Which layers a device has, and what they say. */
import type { Layer, LayerKind, LayerValue, Mode, SettingValue } from '@zpine/core/settings/layers';
import { grouped } from '@zpine/core/lists/grouped';
import type { Row } from '@zpine/contract/fields';
import type { KindName, Stored } from '@zpine/contract/kinds';
import { columnsIn, recordIn } from '../../store/joined.ts';
import { allOf, byIds, keysOf, rememberKeys } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { sitesOf } from '../devices/inForce.ts';
import { number, table, text, time, word, type RowOf } from '../../store/table.ts';

export interface LayerRef extends Layer {
  id: number;
}

/** The kind of record that a layer is. */
export const recordOf = (kind: LayerKind): KindName | undefined => (kind === 'everywhere' ? undefined : kind);

/** The records that stand around devices and have a say in their settings. */
export interface LayerRecords {
  models: Map<number, Stored<'model'>>;
  dialects: Map<number, Stored<'dialect'>>;
  sites: Map<number, Stored<'site'>>;
  racks: Map<number, Stored<'rack'>>;
  rooms: Map<number, Stored<'room'>>;
  areas: Map<number, Stored<'area'>>;
  labels: Map<string, Stored<'label'>>;
  /** The site of each device, its own or that of its management address. */
  siteOf: Map<number, number>;
}

/** What of a device says in which layers it stands. */
export type Placed = Pick<
  Stored<'device'>,
  'id' | 'key' | 'model' | 'dialect' | 'duty' | 'site' | 'rack' | 'labels' | 'management'
>;

export const uniqueIds = (ids: (number | null | undefined)[]): number[] => [
  ...new Set(ids.filter((id): id is number => id !== null && id !== undefined)),
];

export async function layerRecords(tx: Tx, devices: readonly Placed[]): Promise<LayerRecords> {
  const all = <F extends 'model' | 'rack'>(field: F) => uniqueIds(devices.map((d) => d[field]));
  const models = await byIds(tx, 'model', all('model'));
  const siteOf = await sitesOf(tx, devices);
  const dialects = uniqueIds([...devices.map((d) => d.dialect), ...[...models.values()].map((m) => m.dialect)]);
  const words = [...new Set(devices.flatMap((d) => d.labels ?? []))];
  await keysOf(tx, 'duty', uniqueIds(devices.map((d) => d.duty)));
  const { racks, rooms, sites } = await racksOf(tx, all('rack'));
  const open = [...new Set(siteOf.values())].filter((id) => !sites.has(id));
  for (const [id, site] of await byIds(tx, 'site', open)) sites.set(id, site);
  return {
    models,
    racks,
    rooms,
    dialects: await byIds(tx, 'dialect', dialects),
    sites,
    siteOf,
    areas: new Map((await allOf(tx, 'area')).map((area) => [area.id, area])),
    labels: new Map((await labelsOf(tx, words)).map((label) => [label.name, label])),
  };
}

/** Racks with their rooms and sites: what stands in a rack is at its site, as a rule. */
async function racksOf(tx: Tx, ids: number[]): Promise<Pick<LayerRecords, 'racks' | 'rooms' | 'sites'>> {
  const found: Pick<LayerRecords, 'racks' | 'rooms' | 'sites'> = {
    racks: new Map(),
    rooms: new Map(),
    sites: new Map(),
  };
  if (ids.length === 0) return found;
  const rows = await tx.select<Row>(
    `SELECT ${columnsIn('rack', 'r')}, ${columnsIn('room', 'o')}, ${columnsIn('site', 's')} FROM rack r
     JOIN room o ON o.id = r.room_id JOIN site s ON s.id = o.site_id WHERE r.id IN (?)`,
    [ids],
  );
  for (const row of rows) {
    const [rack, room, site] = [recordIn('rack', 'r', row), recordIn('room', 'o', row), recordIn('site', 's', row)];
    if (!rack || !room || !site) continue;
    found.racks.set(rack.id, rack);
    found.rooms.set(room.id, room);
    found.sites.set(site.id, site);
    rememberKeys(tx, 'rack', [rack]);
    rememberKeys(tx, 'room', [room]);
    rememberKeys(tx, 'site', [site]);
  }
  return found;
}

export const dialectIn = (places: LayerRecords, device: Placed): number | null =>
  device.dialect ?? places.models.get(device.model ?? 0)?.dialect ?? null;

/** The site of a device, as far as it was looked at. */
export const siteIn = (places: LayerRecords, device: Placed): Stored<'site'> | undefined =>
  places.sites.get(device.site ?? places.siteOf.get(device.id) ?? 0);

/** The layers of a device, weakest first. */
export function layersIn(tx: Tx, places: LayerRecords, device: Placed): LayerRef[] {
  const site = siteIn(places, device);
  const areas: LayerRef[] = [];
  for (let id = site?.area ?? null; id !== null && !areas.some((area) => area.id === id);) {
    const area = places.areas.get(id);
    areas.unshift({ kind: 'area', id, key: area?.key ?? `#${id}` });
    id = area?.parent ?? null;
  }
  const one = (kind: KindName & LayerKind, id: number | null | undefined): LayerRef[] =>
    id === null || id === undefined ? [] : [{ kind, id, key: tx.keys.get(kind)?.get(id) ?? `#${id}` }];
  const words = device.labels ?? [];
  const labels = [...places.labels.values()].filter((label) => words.includes(label.name));
  return [
    { kind: 'everywhere', key: '', id: 0 },
    ...one('dialect', dialectIn(places, device)),
    ...one('model', device.model),
    ...one('duty', device.duty),
    ...areas,
    ...one('site', site?.id),
    ...one('room', places.racks.get(device.rack ?? 0)?.room),
    ...labels.map(({ id, key }): LayerRef => ({ kind: 'label', id, key })),
    { kind: 'device', id: device.id, key: device.key },
  ];
}

/** The records of labels, the weakest first: those without a rank, then by rank. */
export async function labelsOf(tx: Tx, words: string[]): Promise<Stored<'label'>[]> {
  const found = (await allOf(tx, 'label')).filter((label) => words.includes(label.name));
  return found.sort((a, b) => (a.rank ?? 0) - (b.rank ?? 0));
}

export const settingValues = table('setting_value', {
  id: number,
  layer_kind: word<LayerKind>(),
  layer_id: number,
  setting_id: number,
  mode: word<Mode>(),
  value: text,
  sealed: number,
  version: number,
  updated_at: time,
  updated_by: text,
});
export type ValueRow = RowOf<typeof settingValues>;

/** The value of a row, opened where it is sealed. */
export const openValue = (tx: Tx, row: Pick<ValueRow, 'value' | 'sealed'>): SettingValue =>
  JSON.parse(row.sealed ? tx.sealer.open(row.value) : row.value) as SettingValue;

export const layerWord = ({ kind, id }: Pick<LayerRef, 'kind' | 'id'>): string => `${kind} ${id}`;

/** What layers say, read once for all devices that have them: by setting, then by layer. */
export type LayerValues = Map<number, Map<string, LayerValue>>;

/** So many ids of one statement. */
const SLICE = 1000;
/** Of so many layers a few settings are read whole rather than layer by layer. */
const MANY_LAYERS = 5000;

/** What these layers say; about these settings only, where some are named. */
export async function loadLayerValues(
  tx: Tx,
  layers: Iterable<LayerRef>,
  settings?: readonly number[],
): Promise<LayerValues> {
  const kinds = new Map<LayerKind, Map<number, string>>();
  for (const { kind, id, key } of layers) {
    const ids = kinds.get(kind) ?? new Map<number, string>();
    kinds.set(kind, ids.set(id, key));
  }
  const said: LayerValues = new Map();
  if (settings?.length === 0) return said;
  const take = (rows: ValueRow[]): void => {
    for (const row of rows) {
      const [kind, id, setting] = [row.layer_kind, Number(row.layer_id), Number(row.setting_id)];
      const key = kinds.get(kind)?.get(id);
      if (key === undefined) continue;
      const held = said.get(setting) ?? new Map<string, LayerValue>();
      held.set(layerWord({ kind, id }), { layer: { kind, key }, mode: row.mode, value: openValue(tx, row) });
      said.set(setting, held);
    }
  };
  if (settings && [...kinds.values()].some((ids) => ids.size > MANY_LAYERS)) {
    take(
      await tx.select<ValueRow>(`SELECT ${settingValues.all} FROM setting_value WHERE setting_id IN (?)`, [settings]),
    );
    return said;
  }
  const pairs = [...kinds].flatMap(([kind, keys]) => [...keys.keys()].map((id) => ({ kind, id })));
  for (let at = 0; at < pairs.length; at += SLICE) {
    const slices = [...grouped(pairs.slice(at, at + SLICE), ({ kind }) => kind)];
    const among = slices.map(() => '(layer_kind = ? AND layer_id IN (?))').join(' OR ');
    const values = slices.flatMap(([kind, of]) => [kind, of.map(({ id }) => id)]);
    const only = settings ? 'AND setting_id IN (?)' : '';
    const sql = `SELECT ${settingValues.all} FROM setting_value WHERE (${among}) ${only}`;
    take(await tx.select<ValueRow>(sql, [...values, ...(settings ? [settings] : [])]));
  }
  return said;
}

/** What the layers of one device say about a setting, weakest first. */
export function valuesFor(said: LayerValues, setting: number, layers: readonly LayerRef[]): LayerValue[] {
  const held = said.get(setting);
  return held ? layers.map((layer) => held.get(layerWord(layer))).filter((one) => one !== undefined) : [];
}
