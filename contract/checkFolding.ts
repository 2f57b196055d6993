/** Results put together for eyes: what does not hold stands for itself, what is not known stands once for each reason. */
import type { ShownState } from './checkShapes.ts';

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

/** Three of them, and how many more. */
export function fewOf(names: readonly string[]): string {
  const more = names.length - 3;
  return more > 1 ? `${names.slice(0, 3).join(', ')} and ${more} more` : names.join(', ');
}
