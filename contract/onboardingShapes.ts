/** Shapes of what routes of settings, editions, booting and arrivals take and give. */
import { z } from 'zod';
import { layerKinds, modes } from '@zpine/core/settings/layers';
import { stages } from './kinds/devices.ts';

export const text = (max = 255) => z.string().trim().min(1).max(max);
export const time = z.string();
const originSchema = z.object({ kind: z.enum(layerKinds), key: z.string() }).nullable();

export const layerValueSchema = z.object({
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
export type LayerValueShown = z.output<typeof layerValueSchema>;

export const explainedSchema = z.object({
  name: z.string(),
  about: z.string(),
  valueType: z.string(),
  unit: z.string().nullable(),
  secret: z.boolean(),
  value: z.json(),
  origin: originSchema,
  /** Of list items by position and of map entries by key. */
  origins: z.record(z.string(), originSchema),
  steps: z.array(
    z.object({ layer: z.enum(layerKinds), of: z.string(), mode: z.enum(modes), value: z.json(), stands: z.boolean() }),
  ),
});
export type ExplainedSetting = z.output<typeof explainedSchema>;

export const templateFaultSchema = z.object({
  code: z.string(),
  message: z.string(),
  hint: z.string().nullable(),
  template: z.string(),
  line: z.int(),
  column: z.int(),
  source: z.string(),
});
export type ShownTemplateFault = z.output<typeof templateFaultSchema>;

const wayBackFaultSchema = z.object({ code: z.string(), detail: z.string() });

export const editionHeadSchema = z.object({
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
export type EditionHead = z.output<typeof editionHeadSchema>;

const lineTraceSchema = z.object({
  template: z.string(),
  line: z.int(),
  inserts: z.array(z.object({ template: z.string(), line: z.int(), fragment: z.string() })),
  loops: z.array(z.object({ name: z.string(), value: z.string() })),
  settings: z.array(z.object({ name: z.string(), origin: originSchema })),
});

export const editionFileSchema = z.object({
  name: z.string(),
  /** Secrets are masked. */
  text: z.string(),
  parts: z.array(z.object({ name: z.string(), owned: z.boolean(), fromLine: z.int(), toLine: z.int() })),
  trace: z.array(lineTraceSchema).optional(),
});

export const edition = editionHeadSchema.extend({
  files: z.array(editionFileSchema),
  wayBack: z.array(wayBackFaultSchema),
});
export type ShownEdition = z.output<typeof edition>;

const toldOptionSchema = z.object({
  code: z.int(),
  name: z.string(),
  value: z.string(),
  /** Hexadecimal. */
  bytes: z.string(),
  from: z.string(),
});

/** What a client is told, and what it is not. */
export const toldSchema = z.object({
  prefix: z.string().nullable(),
  address: z.string().nullable(),
  addressFrom: z.string().nullable(),
  /** Why it would get no answer, or no boot file. */
  silent: z.string().nullable(),
  noFile: z.string().nullable(),
  nextServer: z.string().nullable(),
  file: z.string().nullable(),
  options: z.array(toldOptionSchema),
  untold: z.array(z.object({ code: z.int(), name: z.string(), why: z.string() })),
});

const diagnosisSchema = z.object({
  code: z.string(),
  title: z.string(),
  detail: z.string(),
  remedy: z.string(),
  since: time.nullable(),
});

export const arrivalHeadSchema = z.object({
  id: z.int(),
  device: z.string(),
  site: z.string().nullable(),
  model: z.string().nullable(),
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
  diagnosis: diagnosisSchema.nullable(),
  /** Why the place where it boots is not the one of the records; it does not serve until somebody confirms it. */
  elsewhere: z.string().nullable(),
  version: z.int(),
});
export type ShownArrival = z.output<typeof arrivalHeadSchema>;

export const strangerSchema = z.object({
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
  /** What it said last, where it does not boot: a trap, a log line. */
  says: z.string().nullable(),
  /** When it was signed in to, to see what it is. */
  metAt: time.nullable(),
  firstAt: time,
  lastAt: time,
  packets: z.int(),
  /** What contradicts itself, where it is known in part. */
  conflict: z.string().nullable(),
  /** A box of the records that it is, and the device that this is fitted to. */
  box: z.string().nullable(),
  boxOf: z.string().nullable(),
  /** What the records say of that box: stock, fitted, faulty, retired. */
  boxIs: z.string().nullable(),
  /** Whether the device that it became may fetch its files now. */
  windowOpen: z.boolean().nullable(),
  /** Devices that it could be, the likeliest first. */
  candidates: z.array(
    z.object({
      device: z.string(),
      why: z.string(),
      /** The cable in the port where the client is leads to it. */
      hangs: z.boolean(),
      /** Its model is known to be that of the client. */
      fits: z.boolean(),
    }),
  ),
  settledAt: time.nullable(),
  settledAs: z.string().nullable(),
  device: z.string().nullable(),
  version: z.int(),
});
export type ShownStranger = z.output<typeof strangerSchema>;

export const bootRecordSchema = z.object({
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

export const hours = z
  .number()
  .positive()
  .max(24 * 90);
export const anyRecordSchema = z.record(z.string(), z.json());
