/** Jobs: what somebody on site has to do with a device, from the crate to service. No secrets. */
import { z } from 'zod';
import { arrivalHeadSchema, hours, text, time } from './onboardingShapes.ts';
import { page, route, type Route } from './route.ts';

const jobWhys = ['swap', 'stuck', 'to be plugged in', 'no box'] as const;

const headSchema = z.object({
  device: z.string(),
  why: z.enum(jobWhys),
  /** In one sentence. */
  words: z.string(),
  site: z.string().nullable(),
  siteTitle: z.string().nullable(),
  rack: z.string().nullable(),
  positionU: z.int().nullable(),
  model: z.string().nullable(),
  stage: z.string(),
  box: z.string().nullable(),
  batch: z.string().nullable(),
  swap: z.int().nullable(),
});
export type JobHead = z.output<typeof headSchema>;

const cableSchema = z.object({
  port: z.string(),
  marking: z.string().nullable(),
  kind: z.string().nullable(),
  colour: z.string().nullable(),
  lengthCm: z.int().nullable(),
  farEnd: z.string(),
  farPlace: z.string().nullable(),
  ticked: z.object({ by: z.string(), at: time }).nullable(),
});
export type JobCable = z.output<typeof cableSchema>;

const jobSchema = headSchema.extend({
  modelTitle: z.string().nullable(),
  /** The rack as a strip: which numbers are taken, and which are its own. */
  strip: z
    .object({
      heightU: z.int(),
      numbering: z.enum(['bottom', 'top']),
      taken: z.array(z.int()),
      own: z.array(z.int()),
      face: z.enum(['front', 'rear']),
    })
    .nullable(),
  cables: z.array(cableSchema),
  /** The box may be named by whoever stands before it. */
  takesBox: z.boolean(),
  windowOpen: z.boolean(),
  arrival: arrivalHeadSchema.nullable(),
  /** Of a swap: what is not as it was before. */
  findings: z.array(z.string()).nullable(),
  usualSeconds: z.int().nullable(),
});
export type ShownJob = z.output<typeof jobSchema>;

export const jobRoutes = {
  'job.list': route({
    method: 'GET',
    path: '/jobs',
    role: 'viewer',
    summary: 'What there is to do on site for the one who asks: swaps, stuck arrivals, devices to be plugged in',
    group: 'Jobs',
    query: z.strictObject({
      site: text().optional(),
      limit: z.coerce.number().int().min(1).max(500).default(200),
    }),
    reply: page(headSchema),
  }),
  'job.show': route({
    method: 'GET',
    path: '/jobs/{ref}',
    role: 'viewer',
    summary: 'One device for whoever stands before its rack: place, cables, box, how its arrival goes',
    group: 'Jobs',
    reply: jobSchema,
  }),
  'job.tick': route({
    method: 'POST',
    path: '/jobs/{ref}/ticks',
    role: 'installer',
    summary: 'Tick cables of a device off that are plugged in, or take the tick back',
    group: 'Jobs',
    body: z.strictObject({ ports: z.array(text()).min(1).max(500), done: z.boolean().default(true) }),
    reply: jobSchema,
  }),
  'job.box': route({
    method: 'POST',
    path: '/jobs/{ref}/box',
    role: 'installer',
    summary: 'Say which box was put in: only where one is waited for',
    group: 'Jobs',
    body: z.strictObject({ box: text(100).describe('Its serial or MAC'), hours: hours.default(24) }),
    reply: jobSchema,
  }),
} as const satisfies Record<string, Route>;
