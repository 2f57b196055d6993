/** What a write would do elsewhere, as it is told piece by piece: `?preview=impact`. */
import { z } from 'zod';
import { type Problem } from './errors.ts';

/** The media type in which it comes piece by piece, one JSON object a line. */
export const IMPACT_STREAM = 'application/x-ndjson';

const lineDiffSchema = z.object({
  removed: z.array(z.string()),
  added: z.array(z.string()),
  /** How many lines there are beyond those shown. */
  more: z.int(),
});
export type LineDiff = z.output<typeof lineDiffSchema>;

export const partDiff = lineDiffSchema.extend({
  file: z.string(),
  part: z.string(),
  /** Lines that look alike because what differs is a secret. */
  secret: z.boolean(),
});
export type PartDiff = z.output<typeof partDiff>;

const deviceDiffSchema = z.object({
  /** `new` and `gone`: it is there only after, or only before. */
  is: z.enum(['changed', 'new', 'gone']),
  parts: z.array(partDiff),
  /** Of what it is told when it boots. */
  boot: lineDiffSchema.nullable(),
  /** What would go wrong that is well now: no template, a template that stops, no way back in. */
  troubles: z.array(z.string()),
  /** What would be well that goes wrong now. */
  mended: z.array(z.string()),
});
export type DeviceDiff = z.output<typeof deviceDiffSchema>;

/** Devices to which the same would happen. */
const impactGroupSchema = z.object({
  id: z.int(),
  words: z.string(),
  diff: deviceDiffSchema,
  /** Each of its devices has lines of its own: `diff` is that of the first. */
  each: z.boolean(),
});
export type ImpactGroup = z.output<typeof impactGroupSchema>;

const impactRecordSchema = z.object({
  kind: z.string(),
  key: z.string(),
  what: z.enum(['renumbered', 'orphaned', 'renamed', 'goes along', 'left behind']),
  detail: z.string(),
});
export type ImpactRecord = z.output<typeof impactRecordSchema>;

const reachedSchema = z.object({
  event: z.literal('reached'),
  /** Devices that could be affected and are looked at. */
  devices: z.int(),
  changes: z.object({ added: z.int(), edited: z.int(), removed: z.int() }),
  /** The first of them. */
  records: z.array(impactRecordSchema),
  recordCount: z.int(),
});
const groupEventSchema = z.object({ event: z.literal('group'), group: impactGroupSchema });
const lookedSchema = z.object({
  event: z.literal('looked'),
  looked: z.int(),
  of: z.int(),
  /** Devices by the group that they fall into. */
  devices: z.array(z.object({ group: z.int(), device: z.string() })),
  /** Devices whose edition would become stale. */
  stale: z.array(z.string()),
});
const endSchema = z.object({
  event: z.literal('end'),
  looked: z.int(),
  of: z.int(),
  /** Why not all were looked at. */
  stopped: z.string().nullable(),
  changed: z.int(),
  stale: z.int(),
  milliseconds: z.int(),
});

const impactEventSchema = z.discriminatedUnion('event', [
  reachedSchema,
  groupEventSchema,
  lookedSchema,
  endSchema,
]);
export type ImpactEvent = z.output<typeof impactEventSchema>;
/** In a stream, what would be an answer with an error is its last line. */
export type ImpactLine = ImpactEvent | { event: 'refused'; problem: Problem };

const impactSchema = z.object({
  devices: z.int(),
  changes: reachedSchema.shape.changes,
  records: z.array(impactRecordSchema),
  recordCount: z.int(),
  groups: z.array(impactGroupSchema.extend({ devices: z.array(z.string()) })),
  stale: z.array(z.string()),
  looked: z.int(),
  stopped: z.string().nullable(),
  milliseconds: z.int(),
});
export type Impact = z.output<typeof impactSchema>;

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
