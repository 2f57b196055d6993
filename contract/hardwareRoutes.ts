/** Cards declared and found, models and the devices that differ from them, cables and where they lead, copies of sites. */
import { z } from 'zod';
import { recordChangeSchema } from './bulkRoutes.ts';
import { planRowSchema } from './planShapes.ts';
import { route, type Route } from './route.ts';

const text = (max = 255) => z.string().trim().min(1).max(max);

const slotStates = ['empty', 'unseen', 'same', 'differs', 'missing', 'undeclared'] as const;

const slotSchema = z.object({
  slot: z.string(),
  /** The form of cards that go in; null where no model has such a slot. */
  takes: z.string().nullable(),
  /** How many cards are around it. */
  depth: z.int(),
  declared: z.object({ key: z.string(), model: z.string(), serial: z.string().nullable(), ports: z.int() }).nullable(),
  found: z
    .object({ model: z.string().nullable(), serial: z.string().nullable(), via: z.string(), at: z.string() })
    .nullable(),
  state: z.enum(slotStates),
  words: z.string(),
});
export type ShownSlot = z.output<typeof slotSchema>;

const hardwareSchema = z.object({
  device: z.string(),
  model: z.string().nullable(),
  slots: z.array(slotSchema),
  /** How its ports differ from what model and cards bring. */
  differs: z.object({
    missing: z.array(z.string()),
    extra: z.array(z.string()),
    other: z.array(z.object({ port: z.string(), is: z.string(), wanted: z.string() })),
  }),
});

const differingSchema = z.object({
  device: z.string(),
  missing: z.array(z.string()),
  extra: z.array(z.string()),
  other: z.array(z.object({ port: z.string(), is: z.string(), wanted: z.string() })),
  /** What keeps it from being brought along; null for nothing. */
  blocked: z.string().nullable(),
});

const sheetFaultSchema = z.object({
  file: z.string(),
  line: z.int(),
  column: z.int(),
  /** The key that it is about, as `ports.2.kind`. */
  at: z.string(),
  value: z.string().nullable(),
  code: z.string(),
  detail: z.string(),
  remedy: z.string().nullable(),
});
export type SheetFault = z.output<typeof sheetFaultSchema>;

const endSchema = z.object({
  /** The port; null where it is something in words. */
  port: z.string().nullable(),
  device: z.string().nullable(),
  /** Where the device stands: `ard/closet/w1 U 7`. */
  place: z.string().nullable(),
  words: z.string(),
});
export type CableEnd = z.output<typeof endSchema>;

const hopSchema = z.object({
  cable: z.string(),
  kind: z.string().nullable(),
  colour: z.string().nullable(),
  lengthCm: z.int().nullable(),
  marking: z.string().nullable(),
  to: endSchema,
});

const ways = ['port', 'words', 'open', 'circle', 'none'] as const;

export const hardwareRoutes = {
  'device.hardware': route({
    method: 'GET',
    path: '/devices/{ref}/hardware',
    role: 'viewer',
    summary: 'Slots and cards of a device, declared against found, and how its ports differ from its model',
    group: 'Hardware',
    reply: hardwareSchema,
  }),
  'device.found': route({
    method: 'POST',
    path: '/devices/{ref}/found',
    role: 'installer',
    summary: 'Record which cards were seen in the slots of a device (name them all); declares nothing',
    group: 'Hardware',
    body: z.strictObject({
      cards: z
        .array(z.strictObject({ slot: text(63), model: text(100).optional(), serial: text(100).optional() }))
        .max(500),
    }),
    reply: hardwareSchema,
  }),
  'device.declareFound': route({
    method: 'POST',
    path: '/devices/{ref}/declare-found',
    role: 'engineer',
    summary: 'Declare the cards that were found in a device, as far as their models are known',
    group: 'Hardware',
    reply: hardwareSchema,
  }),
  'model.differing': route({
    method: 'GET',
    path: '/models/{ref}/differing',
    role: 'viewer',
    summary: 'Devices whose ports are not those that their model and cards bring',
    group: 'Hardware',
    reply: z.object({ devices: z.array(differingSchema), count: z.int() }),
  }),
  'model.align': route({
    method: 'POST',
    path: '/models/{ref}/align',
    role: 'engineer',
    apart: true,
    summary: 'Bring devices along with their changed model; one that has ports in use which would go stays as it is',
    group: 'Hardware',
    body: z.strictObject({
      devices: z.array(text()).max(10_000).optional().describe('Left out, all that differ'),
    }),
    reply: z.object({
      aligned: z.array(z.string()),
      refused: z.array(z.object({ device: z.string(), why: z.string() })),
    }),
  }),
  'sheet.read': route({
    method: 'POST',
    path: '/model-sheets',
    role: 'engineer',
    apart: true,
    summary: 'Take in model sheets: what would come of them, or all of them in one change set',
    group: 'Hardware',
    body: z.strictObject({
      sheets: z
        .array(z.strictObject({ name: text(500), text: z.string().max(1_000_000) }))
        .min(1)
        .max(2000),
      apply: z.boolean().default(false),
    }),
    reply: z.object({
      applied: z.boolean(),
      counts: z.object({ add: z.int(), edit: z.int(), same: z.int() }),
      models: z.array(recordChangeSchema.extend({ file: z.string(), action: z.enum(['add', 'edit', 'same']) })),
      vendors: z.array(z.string()).describe('That come along because nobody has heard of them'),
      faults: z.array(sheetFaultSchema),
      /** Devices that would differ from their changed models. */
      differing: z.int(),
    }),
  }),
  'sheet.write': route({
    method: 'GET',
    path: '/models/{ref}/sheet',
    role: 'viewer',
    summary: 'A model as a sheet, which is read back without a difference',
    group: 'Hardware',
    query: z.strictObject({ as: z.enum(['yaml', 'json']).default('yaml') }),
    reply: z.object({ name: z.string(), text: z.string() }),
  }),
  'port.trace': route({
    method: 'GET',
    path: '/ports/{ref}/trace',
    role: 'viewer',
    summary: 'Follow the cable in a port, through panels, to where it ends',
    group: 'Cables',
    reply: z.object({ from: endSchema, hops: z.array(hopSchema), ends: z.enum(ways), lengthCm: z.int().nullable() }),
  }),
  'cable.plugs': route({
    method: 'GET',
    path: '/plugs',
    role: 'viewer',
    summary:
      'Every plug of a rack or a device, and where its cable leads: the list for people with the plugs in their hands',
    group: 'Cables',
    query: z.strictObject({ rack: text().optional(), device: text().optional(), site: text().optional() }),
    reply: z.object({
      items: z.array(
        z.object({
          from: endSchema,
          cable: z.string(),
          kind: z.string().nullable(),
          colour: z.string().nullable(),
          lengthCm: z.int().nullable(),
          marking: z.string().nullable(),
          to: endSchema,
          /** Where it comes out behind panels, where that is another place. */
          far: endSchema.nullable(),
          ends: z.enum(ways),
        }),
      ),
    }),
  }),
  'site.copy': route({
    method: 'POST',
    path: '/sites/{ref}/copies',
    role: 'engineer',
    apart: true,
    summary: 'The same landing again: rooms, racks, devices, interfaces, VLANs and cables of a site under a new code',
    group: 'Places',
    body: z.strictObject({
      code: text(63),
      title: text(200).optional(),
      area: text().optional(),
      names: z.record(z.string(), text(63)).default({}).describe('New names of devices, where the code is not in them'),
      plan: text().optional().describe('A site plan: the new site gets blocks, prefixes and addresses by it'),
      apply: z.boolean().default(false),
    }),
    reply: z.object({
      site: z.string(),
      applied: z.boolean(),
      counts: z.record(z.string(), z.int()),
      items: z.array(z.object({ kind: z.string(), key: z.string(), from: z.string() })),
      /** What does not come along, and why. */
      left: z.array(z.object({ kind: z.string(), key: z.string(), why: z.string() })),
      /** What the site plan gives it. */
      planned: z.array(planRowSchema),
    }),
  }),
} as const satisfies Record<string, Route>;
