/** Images: their contents, who wants them, and who runs what. */
import { z } from 'zod';
import { text } from './onboardingShapes.ts';
import { runHeadSchema, upgradeBodySchema } from './fleetShapes.ts';
import { route, type Route } from './route.ts';

const contentStates = ['here', 'sound', 'absent', 'damaged', 'empty'] as const;

export const imageRoutes = {
  'image.put': route({
    method: 'POST',
    own: true,
    unforeseen: true,
    path: '/images/{ref}/content',
    role: 'engineer',
    summary: 'Send the content of an image as the body of the request; it is kept by its digest',
    group: 'Images',
    query: z.strictObject({
      digest: text(300).optional().describe('The SHA-256 or SHA-512 that it has to have, in hexadecimal'),
      replace: z.enum(['true', 'false']).default('false').describe('Even where the image has another content already'),
    }),
    reply: z.object({
      image: z.string(),
      bytes: z.int(),
      sha256: z.string(),
      sha512: z.string(),
      changed: z.boolean(),
    }),
    unrecorded: true,
  }),
  'image.get': route({
    method: 'GET',
    own: true,
    path: '/images/{ref}/content',
    role: 'engineer',
    summary: 'The content of an image',
    group: 'Images',
  }),
  'image.held': route({
    method: 'GET',
    path: '/image-contents',
    role: 'viewer',
    apart: true,
    summary: 'Which contents of images the service that answers has in its folder',
    group: 'Images',
    query: z.strictObject({
      verify: z.enum(['true', 'false']).default('false').describe('All of them are read, and their digests worked out'),
    }),
    reply: z.object({
      folder: z.string(),
      room: z.int(),
      items: z.array(
        z.object({
          image: z.string(),
          bytes: z.int().nullable(),
          sha256: z.string().nullable(),
          state: z.enum(contentStates),
        }),
      ),
    }),
  }),
  'image.devices': route({
    method: 'GET',
    path: '/images/{ref}/devices',
    role: 'viewer',
    summary: 'Which devices want an image, by which layers, and which version each of them said last that it runs',
    group: 'Images',
    reply: z.object({
      named: z.array(z.string()),
      count: z.int(),
      running: z.int(),
      /** The first of them. */
      devices: z.array(
        z.object({ device: z.string(), version: z.string().nullable(), at: z.string().nullable(), runs: z.boolean() }),
      ),
    }),
  }),
  'run.upgrade': route({
    method: 'POST',
    unforeseen: true,
    path: '/upgrades',
    role: 'engineer',
    apart: true,
    summary: 'Preview bringing devices to another image: fetched, held against its digest, started with, and proved',
    group: 'Images',
    body: upgradeBodySchema,
    reply: runHeadSchema,
  }),
} as const satisfies Record<string, Route>;
