/** Which layers a device has, and what they say. */
import { type Layer, type LayerKind, type LayerValue, type Mode, type SettingValue } from '@zpine/core/settings/layers';
import { type KindName, type Stored } from '@zpine/contract/kinds';
import { byId, find, keysOf } from '../../store/records.ts';
import { type Tx } from '../../store/tx.ts';

export interface LayerRef extends Layer {
  id: number;
}

/** The kind of record that a layer is. */
export const recordOf = (kind: LayerKind): KindName | undefined => (kind === 'everywhere' ? undefined : kind);

/** The dialect of a device: its own word, or that of its model. */
export async function dialectIdOf(tx: Tx, device: Stored<'device'>): Promise<number | null> {
  if (device.dialect !== null || device.model === null) return device.dialect;
  return (await byId(tx, 'model', device.model)).dialect;
}

/** The layers of a device, weakest first. */
export async function layersOf(tx: Tx, device: Stored<'device'>): Promise<LayerRef[]> {
  const site = device.site === null ? undefined : await byId(tx, 'site', device.site);
  const rack = device.rack === null ? undefined : await byId(tx, 'rack', device.rack);
  const found: [LayerKind, number | null | undefined][] = [
    ['dialect', await dialectIdOf(tx, device)],
    ['model', device.model],
    ['duty', device.duty],
    ...(await areasAbove(tx, site?.area ?? null)).map((id): [LayerKind, number] => ['area', id]),
    ['site', device.site],
    ['room', rack?.room],
    ...(await labelsOf(tx, device.labels ?? [])).map(({ id }): [LayerKind, number] => ['label', id]),
    ['device', device.id],
  ];
  const out: LayerRef[] = [{ kind: 'everywhere', key: '', id: 0 }];
  for (const [kind, id] of found) {
    const record = recordOf(kind);
    if (id === null || id === undefined || !record) continue;
    out.push({ kind, id, key: (await keysOf(tx, record, [id])).get(id) ?? `#${id}` });
  }
  return out;
}

/** The records of labels, the weakest first: those without a rank, then by rank. */
export async function labelsOf(tx: Tx, words: string[]): Promise<Stored<'label'>[]> {
  const found = await find(tx, 'label', { name: words }, { order: ['name'] });
  return found.sort((a, b) => (a.rank ?? 0) - (b.rank ?? 0));
}

/** From the outermost to the one given. */
async function areasAbove(tx: Tx, area: number | null): Promise<number[]> {
  const way: number[] = [];
  for (let id = area; id !== null && !way.includes(id);) {
    way.unshift(id);
    id = (await byId(tx, 'area', id)).parent;
  }
  return way;
}

export interface ValueRow {
  id: number;
  layer_kind: LayerKind;
  layer_id: number;
  setting_id: number;
  mode: Mode;
  value: string;
  sealed: number;
  version: number;
  updated_at: Date;
  updated_by: string;
}

/** The value of a row, opened where it is sealed. */
export const openValue = (tx: Tx, row: Pick<ValueRow, 'value' | 'sealed'>): SettingValue =>
  JSON.parse(row.sealed ? tx.sealer.open(row.value) : row.value) as SettingValue;

/** What the layers say, by setting, weakest first. */
export async function valuesIn(tx: Tx, layers: LayerRef[]): Promise<Map<number, LayerValue[]>> {
  const rows = await tx.select<ValueRow>(
    `SELECT * FROM setting_value WHERE ${layers.map(() => '(layer_kind = ? AND layer_id = ?)').join(' OR ')}`,
    layers.flatMap((layer) => [layer.kind, layer.id]),
  );
  const out = new Map<number, LayerValue[]>();
  for (const layer of layers) {
    for (const row of rows) {
      if (row.layer_kind !== layer.kind || Number(row.layer_id) !== layer.id) continue;
      const id = Number(row.setting_id);
      const list = out.get(id) ?? [];
      list.push({ layer: { kind: layer.kind, key: layer.key }, mode: row.mode, value: openValue(tx, row) });
      out.set(id, list);
    }
  }
  return out;
}
