/** What questions were answered before a change and after it: the same difference on many devices is told once. */
import type { RunRow } from './fleetShapes.ts';

export interface BeforeAfter {
  question: string;
  devices: string[];
  /** Lines with `-` or `+` before them; empty where nothing is another. */
  changes: string[];
}

export function beforeAfter(rows: readonly RunRow[]): BeforeAfter[] {
  const out = new Map<string, BeforeAfter>();
  for (const { device, errand } of rows)
    for (const { question, after, changes = [] } of errand?.questions ?? []) {
      if (after === null) continue;
      const key = JSON.stringify([question, changes]);
      const one = out.get(key) ?? { question, devices: [], changes };
      one.devices.push(device);
      out.set(key, one);
    }
  return [...out.values()].sort(
    (a, b) => a.question.localeCompare(b.question) || Number(b.changes.length > 0) - Number(a.changes.length > 0),
  );
}
