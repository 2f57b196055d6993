/** What settings in force say, read as the type that is wanted; of another type they say nothing. */
import type { SettingValue } from './layers.ts';

export type SettingsInForce = ReadonlyMap<string, { value: SettingValue }>;

export const textSetting = (settings: SettingsInForce, name: string): string | undefined => {
  const value = settings.get(name)?.value;
  return typeof value === 'string' && value !== '' ? value : undefined;
};
export const numberSetting = (settings: SettingsInForce, name: string): number | undefined => {
  const value = settings.get(name)?.value;
  return typeof value === 'number' ? value : undefined;
};
export const listSetting = (settings: SettingsInForce, name: string): string[] => {
  const value = settings.get(name)?.value;
  return Array.isArray(value) ? value.map(String) : [];
};
export const mapSetting = (settings: SettingsInForce, name: string): Record<string, string> => {
  const value = settings.get(name)?.value;
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return {};
  return Object.fromEntries(Object.entries(value).map(([key, held]) => [key, String(held)]));
};
