const units: [number, string][] = [
  [86400 * 60, 'month'],
  [86400 * 2, 'day'],
  [3600 * 2, 'hour'],
  [60 * 2, 'minute'],
  [1, 'second'],
];
const seconds: Record<string, number> = { month: 86400 * 30, day: 86400, hour: 3600, minute: 60, second: 1 };
const short: Record<string, string> = { month: 'months', day: 'days', hour: 'h', minute: 'min', second: 's' };

/** How long ago, in as few letters as possible: `14 min`. */
export function ago(iso: string, now = Date.now()): string {
  const passed = Math.max(0, (now - Date.parse(iso)) / 1000);
  if (passed < 5) return 'just now';
  const [, unit = 'second'] = units.find(([from]) => passed >= from) ?? [];
  return `${Math.round(passed / (seconds[unit] ?? 1))} ${short[unit]}`;
}

export const exact = (iso: string): string =>
  new Date(iso).toLocaleString(undefined, { dateStyle: 'medium', timeStyle: 'medium' });
