/** The effective settings of a device, with where they come from. */
import { effective, type Effective, type SettingType, type SettingValue } from '@zpine/core/settings/layers';
import { SECRET_MASK } from '@zpine/core/template/render';
import type { ExplainedSetting } from '@zpine/contract/onboardingShapes';
import type { Stored } from '@zpine/contract/kinds';
import { allOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import {
  layersIn,
  layerWord,
  layerRecords,
  loadLayerValues,
  valuesFor,
  type LayerRef,
  type LayerRecords,
} from './layers.ts';

export interface DeviceSetting extends Effective {
  setting: Stored<'setting'>;
}

export type DeviceSettings = Map<string, DeviceSetting>;

export const settingsOf = async (tx: Tx, device: Stored<'device'>): Promise<DeviceSettings> =>
  (await settingsOfAll(tx, [device], await layerRecords(tx, [device])))(device);

/** What holds for no device in particular. */
export const everywhereSettings = async (tx: Tx): Promise<DeviceSettings> =>
  (await settingsBy(tx, (layer: LayerRef) => [layer], [everywhere]))(everywhere);

const everywhere: LayerRef = { kind: 'everywhere', key: '', id: 0 };

/** The settings of many devices, read in as many questions as those of one. */
export const settingsOfAll = (
  tx: Tx,
  devices: readonly Stored<'device'>[],
  places: LayerRecords,
): Promise<(device: Stored<'device'>) => DeviceSettings> =>
  settingsBy(tx, (device: Stored<'device'>) => layersIn(tx, places, device), devices);

async function settingsBy<T>(
  tx: Tx,
  layersOf: (one: T) => LayerRef[],
  all: readonly T[],
): Promise<(one: T) => DeviceSettings> {
  const catalogue = await allOf(tx, 'setting');
  const said = await loadLayerValues(tx, all.flatMap(layersOf));
  return (one) => {
    const layers = layersOf(one);
    return new Map(
      catalogue.map((setting) => [
        setting.name,
        { setting, ...effective(setting.defaultValue, valuesFor(said, setting.id, layers)) },
      ]),
    );
  };
}

/** A few settings of many devices, by name. */
export async function settingsOfMany(
  tx: Tx,
  devices: readonly Stored<'device'>[],
  names: readonly string[],
): Promise<FewSettings> {
  const places = await layerRecords(tx, devices);
  const settings = new Map(
    (await allOf(tx, 'setting'))
      .filter((setting) => names.includes(setting.name))
      .map((setting) => [setting.name, setting]),
  );
  const ids = [...settings.values()].map((setting) => setting.id);
  const layers = new Map(devices.map((device) => [device.id, layersIn(tx, places, device)]));
  const said = await loadLayerValues(tx, [...layers.values()].flat(), ids);
  return {
    places,
    value: (device, name) => {
      const setting = settings.get(name);
      const values = valuesFor(said, setting?.id ?? 0, layers.get(device.id) ?? []);
      return effective(setting?.defaultValue ?? null, values).value;
    },
    layerOf: (device, name) => {
      const held = said.get(settings.get(name)?.id ?? 0);
      return (layers.get(device.id) ?? []).map(layerWord).findLast((layer) => held?.has(layer)) ?? '';
    },
  };
}

export interface FewSettings {
  places: LayerRecords;
  value: (device: Stored<'device'>, name: string) => SettingValue;
  /** The layer that has the last word; empty where it is the default. */
  layerOf: (device: Stored<'device'>, name: string) => string;
}

export const typeOfSetting = (setting: Stored<'setting'>): SettingType => setting.valueType as SettingType;

/** What is shown in the place of a secret. Keys of secret maps are no secret. */
export function maskedValue(value: SettingValue): SettingValue {
  if (value === null) return null;
  if (Array.isArray(value)) return value.map(maskedValue);
  if (typeof value === 'object') return Object.fromEntries(Object.keys(value).map((key) => [key, SECRET_MASK]));
  return SECRET_MASK;
}

export async function explainSettings(tx: Tx, device: Stored<'device'>): Promise<ExplainedSetting[]> {
  return [...(await settingsOf(tx, device)).values()].map(({ setting, value, origin, origins, steps }) => {
    const shown = (held: SettingValue) => (setting.secret ? maskedValue(held) : held);
    return {
      name: setting.name,
      about: setting.about,
      valueType: typeOfSetting(setting),
      unit: setting.unit,
      secret: setting.secret,
      value: shown(value),
      origin,
      origins,
      steps: steps.map(({ layer, mode, value: given, stands }) => ({
        layer: layer.kind,
        of: layer.key,
        mode,
        value: mode === 'take-away' ? given : shown(given),
        stands,
      })),
    };
  });
}
