/** Routes of settings in layers, editions, boot answers, arrivals and strangers. */
import { z } from 'zod';
import { layerKinds, modes } from '@zpine/core/settings/layers';
import { stages } from './kinds/devices.ts';
import { page, route, type Route } from './route.ts';

const text = (max = 255) => z.string().trim().min(1).max(max);
const time = z.string();
const origin = z.object({ kind: z.enum(layerKinds), key: z.string() }).nullable();

const layerValue = z.object({
  setting: z.string(),
  layer: z.enum(layerKinds),
  /** The record of the layer; empty for everywhere. */
  of: z.string(),
  mode: z.enum(modes),
  /** Masked where the setting is secret. */
  value: z.json(),
  secret: z.boolean(),
  updatedAt: time,
  updatedBy: z.string(),
});
export type LayerValueShown = z.output<typeof layerValue>;

const explained = z.object({
  name: z.string(),
  about: z.string(),
  valueType: z.string(),
  unit: z.string().nullable(),
  secret: z.boolean(),
  value: z.json(),
  origin,
  /** Of list items by position and of map entries by key. */
  origins: z.record(z.string(), origin),
  steps: z.array(
    z.object({ layer: z.enum(layerKinds), of: z.string(), mode: z.enum(modes), value: z.json(), stands: z.boolean() }),
  ),
});
export type ExplainedSetting = z.output<typeof explained>;

const templateFault = z.object({
  code: z.string(),
  message: z.string(),
  hint: z.string().nullable(),
  template: z.string(),
  line: z.int(),
  column: z.int(),
  source: z.string(),
});
export type ShownTemplateFault = z.output<typeof templateFault>;

const wayBackFault = z.object({ code: z.string(), detail: z.string() });

const editionHead = z.object({
  device: z.string(),
  number: z.int(),
  digest: z.string(),
  template: z.string(),
  madeAt: time,
  madeBy: z.string(),
  reason: z.string().nullable(),
  publishedAt: time.nullable(),
  publishedBy: z.string().nullable(),
  /** Why it was published although the way back in is not sure. */
  insisted: z.string().nullable(),
  /** Whether it is the one that the device is given now. */
  current: z.boolean(),
  /** Whether its inputs have changed since it was made. */
  stale: z.boolean(),
});
export type EditionHead = z.output<typeof editionHead>;

const lineTrace = z.object({
  template: z.string(),
  line: z.int(),
  inserts: z.array(z.object({ template: z.string(), line: z.int(), fragment: z.string() })),
  loops: z.array(z.object({ name: z.string(), value: z.string() })),
  settings: z.array(z.object({ name: z.string(), origin })),
});

const editionFile = z.object({
  name: z.string(),
  /** Secrets are masked. */
  text: z.string(),
  sections: z.array(z.object({ name: z.string(), owned: z.boolean(), fromLine: z.int(), toLine: z.int() })),
  trace: z.array(lineTrace).optional(),
});

const edition = editionHead.extend({ files: z.array(editionFile), wayBack: z.array(wayBackFault) });
export type ShownEdition = z.output<typeof edition>;

const toldOption = z.object({
  code: z.int(),
  name: z.string(),
  value: z.string(),
  /** Hexadecimal. */
  bytes: z.string(),
  from: z.string(),
});

const diagnosis = z.object({
  code: z.string(),
  title: z.string(),
  detail: z.string(),
  remedy: z.string(),
  since: time.nullable(),
});

const arrivalHead = z.object({
  id: z.int(),
  device: z.string(),
  stage: z.enum(Object.keys(stages) as [string, ...string[]]).nullable(),
  phase: z.string(),
  edition: z.int().nullable(),
  box: z.string().nullable(),
  mac: z.string().nullable(),
  relay: z.string().nullable(),
  address: z.string().nullable(),
  management: z.string().nullable(),
  openedAt: time,
  openedBy: z.string(),
  closesAt: time,
  endedAt: time.nullable(),
  updatedAt: time,
  milestones: z.array(z.object({ name: z.string(), at: time, evidence: z.record(z.string(), z.json()) })),
  diagnosis: diagnosis.nullable(),
  version: z.int(),
});
export type ShownArrival = z.output<typeof arrivalHead>;

const difference = z.object({ section: z.string(), above: z.array(z.string()), line: z.string() });
const comparison = z.object({
  at: time,
  matches: z.boolean(),
  missing: z.array(difference),
  extra: z.array(difference),
  elsewhere: z.array(z.string()),
  right: z.int(),
});

const stranger = z.object({
  id: z.int(),
  client: z.string(),
  mac: z.string(),
  serial: z.string().nullable(),
  vendorClass: z.string().nullable(),
  relay: z.string().nullable(),
  circuit: z.string().nullable(),
  prefix: z.string().nullable(),
  site: z.string().nullable(),
  address: z.string().nullable(),
  firstAt: time,
  lastAt: time,
  packets: z.int(),
  /** What contradicts itself, where it is known in part. */
  conflict: z.string().nullable(),
  /** A box of the stock that it is. */
  box: z.string().nullable(),
  /** Devices that it could be, the likeliest first. */
  candidates: z.array(z.object({ device: z.string(), why: z.string() })),
  settledAt: time.nullable(),
  settledAs: z.string().nullable(),
  device: z.string().nullable(),
  version: z.int(),
});
export type ShownStranger = z.output<typeof stranger>;

const bootRecord = z.object({
  id: z.int(),
  at: time,
  lastAt: time,
  times: z.int(),
  protocol: z.string(),
  what: z.string(),
  outcome: z.string(),
  mac: z.string().nullable(),
  address: z.string().nullable(),
  device: z.string().nullable(),
  detail: z.string(),
});

const hours = z
  .number()
  .positive()
  .max(24 * 90);
const anyRecord = z.record(z.string(), z.json());

export const onboardingRoutes = {
  'value.list': route({
    method: 'GET',
    path: '/setting-values',
    role: 'viewer',
    summary: 'The values that layers give to settings',
    group: 'Settings',
    query: z.strictObject({
      setting: text().optional(),
      layer: z.enum(layerKinds).optional(),
      of: text().optional().describe('With layer: the record that it is'),
    }),
    reply: page(layerValue),
  }),
  'value.put': route({
    method: 'POST',
    path: '/setting-values',
    role: 'engineer',
    summary: 'Give a setting a value in a layer',
    group: 'Settings',
    body: z.strictObject({
      setting: text(),
      layer: z.enum(layerKinds),
      of: text().optional().describe('The record of the layer; left out for everywhere'),
      mode: z.enum(modes).default('set'),
      value: z.json(),
    }),
    reply: layerValue,
  }),
  'value.remove': route({
    method: 'POST',
    path: '/setting-values/remove',
    role: 'engineer',
    summary: 'Take the value of a setting out of a layer',
    group: 'Settings',
    body: z.strictObject({ setting: text(), layer: z.enum(layerKinds), of: text().optional() }),
    reply: z.object({ removed: z.boolean() }),
  }),
  'device.settings': route({
    method: 'GET',
    path: '/devices/{ref}/settings',
    role: 'viewer',
    summary: 'The effective settings of a device, each with the layers that it comes from',
    group: 'Settings',
    reply: z.object({ items: z.array(explained) }),
  }),
  'template.check': route({
    method: 'GET',
    path: '/templates/{ref}/check',
    role: 'viewer',
    summary: 'All faults of a template and of its fragments',
    group: 'Templates',
    reply: z.object({ faults: z.array(templateFault) }),
  }),
  'device.names': route({
    method: 'GET',
    path: '/devices/{ref}/template-names',
    role: 'viewer',
    summary: 'Every name that a template sees for this device, with type and value',
    group: 'Templates',
    reply: z.object({
      items: z.array(z.object({ name: z.string(), type: z.string(), about: z.string(), value: z.json() })),
    }),
  }),
  'edition.list': route({
    method: 'GET',
    path: '/devices/{ref}/editions',
    role: 'viewer',
    summary: 'The editions of a device, the newest first',
    group: 'Editions',
    reply: page(editionHead),
  }),
  'edition.make': route({
    method: 'POST',
    path: '/devices/{ref}/editions',
    role: 'engineer',
    summary: 'Make the next edition of a device; the same text again gives the edition that has it',
    group: 'Editions',
    body: z.strictObject({}),
    reply: edition,
  }),
  'edition.show': route({
    method: 'GET',
    path: '/devices/{ref}/editions/{number}',
    role: 'viewer',
    summary: 'One edition with its files, secrets masked; on request with the origin of every line',
    group: 'Editions',
    query: z.strictObject({ trace: z.enum(['true', 'false']).optional() }),
    reply: edition,
  }),
  'edition.publish': route({
    method: 'POST',
    path: '/devices/{ref}/editions/{number}/publish',
    role: 'engineer',
    summary: 'Publish an edition: the device may be given it; refused where it would lock the service out',
    group: 'Editions',
    body: z.strictObject({
      insist: z.boolean().default(false).describe('Publish although the way back in is not sure; needs a reason'),
      openHours: hours.optional().describe('Open the arrival window for so many hours, too'),
    }),
    reply: editionHead,
  }),
  'device.dhcp': route({
    method: 'GET',
    path: '/devices/{ref}/dhcp',
    role: 'viewer',
    summary: 'What a device is told when it boots: every option with its bytes and where it comes from',
    group: 'Booting',
    query: z.strictObject({ relay: text().optional().describe('The relay that it boots behind') }),
    reply: z.object({
      device: z.string(),
      client: z.string().nullable(),
      relay: z.string().nullable(),
      prefix: z.string().nullable(),
      address: z.string().nullable(),
      addressFrom: z.string().nullable(),
      /** Why it would get no answer, or no boot file. */
      silent: z.string().nullable(),
      noFile: z.string().nullable(),
      nextServer: z.string().nullable(),
      file: z.string().nullable(),
      options: z.array(toldOption),
      untold: z.array(z.object({ code: z.int(), name: z.string(), why: z.string() })),
    }),
  }),
  'boot.records': route({
    method: 'GET',
    path: '/boot-records',
    role: 'viewer',
    summary: 'What booting clients asked and what came of it, the newest first',
    group: 'Booting',
    query: z.strictObject({
      device: text().optional(),
      outcome: z.enum(['answered', 'refused', 'dropped', 'broken']).optional(),
      limit: z.coerce.number().int().min(1).max(500).default(100),
    }),
    reply: z.object({ items: z.array(bootRecord) }),
  }),
  'arrival.list': route({
    method: 'GET',
    path: '/arrivals',
    role: 'viewer',
    summary: 'Arrivals with their milestones, the newest first',
    group: 'Arrivals',
    query: z.strictObject({
      device: text().optional(),
      open: z.enum(['true', 'false']).optional().describe('Only those that are under way, or only those that ended'),
      limit: z.coerce.number().int().min(1).max(200).default(50),
    }),
    reply: z.object({ items: z.array(arrivalHead) }),
  }),
  'arrival.show': route({
    method: 'GET',
    path: '/arrivals/{id}',
    role: 'viewer',
    summary: 'One arrival, with the comparison of what the device runs',
    group: 'Arrivals',
    reply: arrivalHead.extend({ comparison: comparison.nullable() }),
  }),
  'arrival.open': route({
    method: 'POST',
    path: '/devices/{ref}/arrival-window',
    role: 'engineer',
    summary: 'Open the window in which a device may fetch its files',
    group: 'Arrivals',
    body: z.strictObject({ hours: hours.default(72) }),
    reply: arrivalHead,
  }),
  'arrival.close': route({
    method: 'DELETE',
    path: '/devices/{ref}/arrival-window',
    role: 'engineer',
    summary: 'Close the arrival window of a device',
    group: 'Arrivals',
    status: 204,
  }),
  'arrival.retry': route({
    method: 'POST',
    path: '/arrivals/{id}/retry',
    role: 'installer',
    summary: 'Look at the device again now',
    group: 'Arrivals',
    body: z.strictObject({}),
    reply: arrivalHead,
  }),
  'stranger.list': route({
    method: 'GET',
    path: '/strangers',
    role: 'viewer',
    summary: 'Booting clients that match no device',
    group: 'Arrivals',
    query: z.strictObject({ settled: z.enum(['true', 'false']).default('false') }),
    reply: z.object({ items: z.array(stranger) }),
  }),
  'stranger.recognise': route({
    method: 'POST',
    path: '/strangers/{id}/recognise',
    role: 'installer',
    summary: 'Say which device a stranger is: its box is entered and fitted',
    group: 'Arrivals',
    body: z.strictObject({
      device: text(),
      serial: text(100).optional().describe('Where it did not tell its serial'),
    }),
    reply: stranger,
  }),
  'stranger.dismiss': route({
    method: 'POST',
    path: '/strangers/{id}/dismiss',
    role: 'engineer',
    summary: 'Take a stranger off the list; it comes back when it is heard of again after a day',
    group: 'Arrivals',
    body: z.strictObject({}),
    reply: stranger,
  }),
  'device.fit': route({
    method: 'POST',
    path: '/devices/{ref}/box',
    role: 'engineer',
    summary: 'Put another box under the identity of a device; the one before becomes faulty, or goes to stock',
    group: 'Devices',
    body: z.strictObject({
      box: text(100).describe('Its serial; a box that is not known yet is entered'),
      mac: text(40).optional().describe('Of a box that is not known yet'),
      before: z.enum(['faulty', 'stock', 'retired']).default('faulty'),
    }),
    reply: anyRecord,
  }),
  'device.forgetHostKey': route({
    method: 'DELETE',
    path: '/devices/{ref}/host-key',
    role: 'engineer',
    summary: 'Forget the pinned SSH host key of a device: the next one that it shows is pinned',
    group: 'Devices',
    status: 204,
  }),
} as const satisfies Record<string, Route>;
