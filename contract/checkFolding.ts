/** Results put together for eyes: what does not hold stands for itself, what is not known stands once for each reason. */
import { stateWords, type ShownResult, type ShownState } from './checkShapes.ts';

export interface Foldable {
  check: string;
  device: string;
  state: ShownState;
  findings: readonly string[];
  why: string;
}

/** What is not known for one reason. */
export interface Unknowns {
  why: string;
  checks: string[];
  devices: string[];
}

/** Devices that lack an answer to the same checks for the same reason are one thing to know. */
export function unknownsOf(all: readonly Foldable[]): Unknowns[] {
  const perDevice = new Map<string, { why: string; device: string; checks: string[] }>();
  for (const { state, why, device, check } of all) {
    if (state !== 'unknown') continue;
    const key = JSON.stringify([device, why]);
    const held = perDevice.get(key) ?? { why, device, checks: [] };
    held.checks.push(check);
    perDevice.set(key, held);
  }
  const out = new Map<string, Unknowns>();
  for (const { why, device, checks } of perDevice.values()) {
    const key = JSON.stringify([why, checks]);
    const held = out.get(key) ?? { why, checks, devices: [] };
    held.devices.push(device);
    out.set(key, held);
  }
  return [...out.values()];
}

/** Devices on which a check found the same. */
export interface Alike<T> {
  first: T;
  devices: string[];
}

/** What does not hold or is excepted, equal findings of a check together. */
export function foundAlike<T extends Foldable & { until?: string | null }>(all: readonly T[]): Alike<T>[] {
  const out = new Map<string, Alike<T>>();
  for (const one of all) {
    if (one.state !== 'broken' && one.state !== 'excepted') continue;
    const key = JSON.stringify([one.check, one.state, one.findings, one.until ?? null]);
    const held = out.get(key) ?? { first: one, devices: [] };
    held.devices.push(one.device);
    out.set(key, held);
  }
  return [...out.values()];
}

/** Three of them, and how many more. */
export function fewOf(names: readonly string[]): string {
  const more = names.length - 3;
  return more > 1 ? `${names.slice(0, 3).join(', ')} and ${more} more` : names.join(', ');
}

/** For a spreadsheet: whole times, and a column for everything. */
export const resultsTable = (all: readonly ShownResult[]): { heads: string[]; rows: string[][] } => ({
  heads: ['check', 'device', 'state', 'severity', 'findings', 'since', 'judgedAt', 'until', 'because', 'command'],
  rows: all.map((one) => [
    one.check,
    one.device,
    stateWords[one.state],
    one.severity,
    one.why === '' ? one.findings.join('\n') : one.why,
    one.since,
    one.judgedAt,
    one.until ?? '',
    one.because ?? '',
    one.command,
  ]),
});
