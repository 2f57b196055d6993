/** What a write would do elsewhere, as it is told piece by piece: `?preview=impact`. */
import type { Problem } from './errors.ts';

/** The media type in which it comes piece by piece, one JSON object a line. */
export const IMPACT_STREAM = 'application/x-ndjson';

export interface LineDiff {
  removed: string[];
  added: string[];
  /** How many lines there are beyond those shown. */
  more: number;
}

/** Of one part of a file; answers have it, too. */
export type PartDiff = {
  removed: string[];
  added: string[];
  more: number;
  file: string;
  part: string;
  /** Lines that look alike because what differs is a secret. */
  secret: boolean;
};

export interface DeviceDiff {
  /** `new` and `gone`: it is there only after, or only before. */
  is: 'changed' | 'new' | 'gone';
  parts: PartDiff[];
  /** Of what it is told when it boots. */
  boot: LineDiff | null;
  /** What would go wrong that is well now: no template, a template that stops, no way back in. */
  troubles: string[];
  /** What would be well that goes wrong now. */
  mended: string[];
}

/** Devices to which the same would happen. */
export interface ImpactGroup {
  id: number;
  words: string;
  diff: DeviceDiff;
  /** Each of its devices has lines of its own: `diff` is that of the first. */
  each: boolean;
}

export interface ImpactRecord {
  kind: string;
  key: string;
  what: 'renumbered' | 'orphaned' | 'renamed' | 'goes along' | 'left behind';
  detail: string;
}

interface Reached {
  event: 'reached';
  /** Devices that could be affected and are looked at. */
  devices: number;
  changes: { added: number; edited: number; removed: number };
  /** The first of them. */
  records: ImpactRecord[];
  recordCount: number;
}

interface Looked {
  event: 'looked';
  looked: number;
  of: number;
  /** Devices by the group that they fall into. */
  devices: { group: number; device: string }[];
  /** Devices whose edition would become stale. */
  stale: string[];
}

interface End {
  event: 'end';
  looked: number;
  of: number;
  /** Why not all were looked at. */
  stopped: string | null;
  changed: number;
  stale: number;
  milliseconds: number;
}

export type ImpactEvent = Reached | { event: 'group'; group: ImpactGroup } | Looked | End;
/** In a stream, what would be an answer with an error is its last line. */
export type ImpactLine = ImpactEvent | { event: 'refused'; problem: Problem };

/** All that was heard, put together. */
export interface Impact {
  devices: number;
  changes: Reached['changes'];
  records: ImpactRecord[];
  recordCount: number;
  groups: (ImpactGroup & { devices: string[] })[];
  stale: string[];
  looked: number;
  stopped: string | null;
  milliseconds: number;
}

export const noImpact = (): Impact => ({
  devices: 0,
  changes: { added: 0, edited: 0, removed: 0 },
  records: [],
  recordCount: 0,
  groups: [],
  stale: [],
  looked: 0,
  stopped: null,
  milliseconds: 0,
});

/** Puts an event to what was heard before; groups with most devices first. */
export function heard(before: Impact, event: ImpactEvent): Impact {
  switch (event.event) {
    case 'reached': {
      const { devices, changes, records, recordCount } = event;
      return { ...before, devices, changes, records, recordCount };
    }
    case 'group':
      return { ...before, groups: [...before.groups, { ...event.group, devices: [] }] };
    case 'looked': {
      const added = new Map<number, string[]>();
      for (const { group, device } of event.devices) added.set(group, [...(added.get(group) ?? []), device]);
      const groups = before.groups.map((group) => {
        const more = added.get(group.id);
        return more ? { ...group, devices: [...group.devices, ...more] } : group;
      });
      groups.sort((a, b) => b.devices.length - a.devices.length || a.id - b.id);
      return { ...before, groups, stale: [...before.stale, ...event.stale], looked: event.looked };
    }
    case 'end': {
      const { stopped, milliseconds, looked } = event;
      return { ...before, stopped, milliseconds, looked };
    }
  }
}
