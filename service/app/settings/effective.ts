/** The effective settings of a device, with where they come from. */
import { effective, type Effective, type SettingType, type SettingValue } from '@zpine/core/settings/layers';
import { SECRET_MASK } from '@zpine/core/template/render';
import { type ExplainedSetting } from '@zpine/contract/onboardingShapes';
import { type Stored } from '@zpine/contract/kinds';
import { find } from '../../store/records.ts';
import { type Tx } from '../../store/tx.ts';
import { layersOf, valuesIn, type LayerRef } from './layers.ts';

export interface DeviceSetting extends Effective {
  setting: Stored<'setting'>;
}

export type DeviceSettings = Map<string, DeviceSetting>;

export const settingsOf = async (tx: Tx, device: Stored<'device'>): Promise<DeviceSettings> =>
  settingsIn(tx, await layersOf(tx, device));

/** What holds for no device in particular. */
export const everywhereSettings = (tx: Tx): Promise<DeviceSettings> =>
  settingsIn(tx, [{ kind: 'everywhere', key: '', id: 0 }]);

async function settingsIn(tx: Tx, layers: LayerRef[]): Promise<DeviceSettings> {
  const catalogue = await find(tx, 'setting', {}, { order: ['sort_key'] });
  const values = await valuesIn(tx, layers);
  return new Map(
    catalogue.map((setting) => [
      setting.name,
      { setting, ...effective(setting.defaultValue as SettingValue, values.get(setting.id) ?? []) },
    ]),
  );
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

export const textSetting = (settings: DeviceSettings, name: string): string | undefined => {
  const value = settings.get(name)?.value;
  return typeof value === 'string' && value !== '' ? value : undefined;
};
export const numberSetting = (settings: DeviceSettings, name: string): number | undefined => {
  const value = settings.get(name)?.value;
  return typeof value === 'number' ? value : undefined;
};
export const listSetting = (settings: DeviceSettings, name: string): string[] => {
  const value = settings.get(name)?.value;
  return Array.isArray(value) ? value.map(String) : [];
};
export const mapSetting = (settings: DeviceSettings, name: string): Record<string, string> => {
  const value = settings.get(name)?.value;
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return {};
  return Object.fromEntries(Object.entries(value).map(([key, held]) => [key, String(held)]));
};
