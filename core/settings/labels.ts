/** Whether two labels can be heard at the same time: labels have no order of their own until somebody ranks them. */
import type { Mode, SettingValue } from './layers.ts';

export interface Said {
  /** Higher is stronger; none is the weakest. */
  rank: number | null;
  mode: Mode;
  value: SettingValue;
}

const isMap = (value: SettingValue): value is { [key: string]: SettingValue } =>
  typeof value === 'object' && value !== null && !Array.isArray(value);
const same = (a: SettingValue, b: SettingValue): boolean => JSON.stringify(a) === JSON.stringify(b);

/** True when it would matter which of the two is put on top of the other, and nothing says which. */
export function disagree(one: Said, other: Said): boolean {
  if ((one.rank ?? 0) !== (other.rank ?? 0)) return false;
  if (one.mode === other.mode && same(one.value, other.value)) return false;
  const [a, b] = [one.value, other.value];
  if (isMap(a) && isMap(b)) {
    // Maps merge: they disagree about keys that both have.
    return Object.entries(a).some(([key, value]) => Object.hasOwn(b, key) && !same(value, b[key] ?? null));
  }
  if (one.mode === other.mode && one.mode !== 'set') return false;
  if (one.mode !== 'set' && other.mode !== 'set') {
    const items = (value: SettingValue) => (isMap(value) ? Object.keys(value) : Array.isArray(value) ? value : [value]);
    return items(a).some((item) => items(b).some((held) => same(item, held)));
  }
  return true;
}
