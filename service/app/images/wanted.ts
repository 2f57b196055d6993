/** Which image devices should run, by their layers, and which layers name an image. */
import { wantedAmong } from '@zpine/core/images/wanted';
import { layerText, type LayerKind, type SettingValue } from '@zpine/core/settings/layers';
import { nearest } from '@zpine/core/naming/names';
import { Refusal } from '@zpine/contract/errors';
import type { Stored } from '@zpine/contract/kinds';
import { allOf, keyOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { settingsOfMany } from '../settings/effective.ts';
import { dialectIn, recordOf } from '../settings/layers.ts';

const WANTED = 'image.wanted';
const INSIST = 'image.insist';

export interface WantedImage {
  image: Stored<'image'>;
  /** A device with another version is kept from serving. */
  insist: boolean;
}

/** By the ids of devices; of those that want none there is nothing. */
export async function imagesWanted(tx: Tx, devices: readonly Stored<'device'>[]): Promise<Map<number, WantedImage>> {
  const images = await allOf(tx, 'image');
  if (images.length === 0 || devices.length === 0) return new Map();
  const { places, value } = await settingsOfMany(tx, devices, [WANTED, INSIST]);
  return new Map(
    devices.flatMap((device) => {
      const { model } = device;
      const image = wantedAmong(namesIn(value(device, WANTED)), images, { dialect: dialectIn(places, device), model });
      return image ? [[device.id, { image, insist: value(device, INSIST) !== false }] as const] : [];
    }),
  );
}

const namesIn = (value: SettingValue | undefined): string[] => (Array.isArray(value) ? value.map(String) : []);

/** In words: where the setting names it. */
export async function placesNaming(tx: Tx, image: string): Promise<string[]> {
  const setting = (await allOf(tx, 'setting')).find(({ name }) => name === WANTED);
  if (!setting) return [];
  const names = (value: SettingValue) => namesIn(value).some((name) => name.toLowerCase() === image);
  const rows = await tx.select<{ layer_kind: LayerKind; layer_id: number; value: string; mode: string }>(
    "SELECT layer_kind, layer_id, value, mode FROM setting_value WHERE setting_id = ? AND mode <> 'take-away' ORDER BY id",
    [setting.id],
  );
  const out = names(setting.defaultValue) ? ['the setting itself'] : [];
  for (const row of rows) {
    if (!names(JSON.parse(row.value) as SettingValue)) continue;
    const kind = recordOf(row.layer_kind);
    const key = kind === undefined ? '' : ((await keyOf(tx, kind, Number(row.layer_id))) ?? '');
    out.push(layerText({ kind: row.layer_kind, key }));
  }
  return out;
}

/** A value of the setting names images that there are. */
export async function refuseUnknownImages(tx: Tx, value: SettingValue): Promise<void> {
  const known = (await allOf(tx, 'image')).map(({ key }) => key);
  for (const [i, name] of namesIn(value).entries()) {
    if (known.includes(name.toLowerCase())) continue;
    const meant = nearest(name.toLowerCase(), known);
    throw Refusal.at(['value', i], 'image-none', { value: name, ...(meant === undefined ? {} : { meant }) });
  }
}
