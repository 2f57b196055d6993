/** Blocks carved out of prefixes, what is where, and what people otherwise work out by hand. */
import { z } from 'zod';
import { carveWays } from '@zpine/core/addressing/carve';
import { planRowSchema } from './planShapes.ts';
import { leaseSchema } from './leaseRoutes.ts';
import { page, route, type Route } from './route.ts';

const text = (max = 255) => z.string().trim().min(1).max(max);

const coveringSchema = z.object({
  prefix: z.string(),
  description: z.string().nullable(),
  site: z.string().nullable(),
  vlan: z.string().nullable(),
  use: z.string().nullable(),
});

const carrierSchema = z.object({
  address: z.string(),
  interface: z.string().nullable(),
  device: z.string().nullable(),
  description: z.string().nullable(),
});

const foundSchema = z.object({
  vrf: z.string(),
  /** The prefixes around it, the smallest first. */
  covering: z.array(coveringSchema),
  /** Of an address: who has it, and where that is. */
  holder: carrierSchema
    .extend({
      /** Where the device stands: `ard/closet/w1 U 7`. */
      place: z.string().nullable(),
      /** Where the cable in its port comes out. */
      plugged: z.string().nullable(),
      /** The interfaces that carry it, if it is shared. */
      carriers: z.array(z.string()),
    })
    .nullable(),
  /** What an address that nobody has is kept for: `gateway of 10.77.16.0/24`. */
  kept: z.string().nullable(),
  /** Who was promised it by DHCP. */
  lease: leaseSchema.nullable(),
  /** Who had it before, the latest first. */
  before: z.array(
    z.object({
      at: z.string(),
      actor: z.string(),
      action: z.enum(['added', 'edited', 'removed']),
      interface: z.string().nullable(),
    }),
  ),
  /** Of a prefix: what lies in it. */
  prefixes: z.array(coveringSchema),
  addresses: z.array(carrierSchema),
  count: z.object({ prefixes: z.int(), addresses: z.int() }),
});
export type FoundAt = z.output<typeof foundSchema>;

const overlappingSchema = z.object({ prefix: z.string(), vrf: z.string(), site: z.string().nullable() });

const reshapedSchema = z.object({
  applied: z.boolean(),
  removed: z.array(z.string()),
  added: z.array(z.string()),
  /** What no part could take over: the parts disagree, or it begins in none of them. */
  dropped: z.array(z.object({ prefix: z.string(), field: z.string(), value: z.string() })),
});

export const addressingRoutes = {
  'prefix.carve': route({
    method: 'POST',
    path: '/prefixes/{ref}/carvings',
    role: 'engineer',
    apart: true,
    summary: 'The next free blocks of a size in a prefix: which they would be, or all of them added',
    group: 'Addressing',
    body: z.strictObject({
      length: z.int().min(0).max(128),
      count: z.int().min(1).max(4096).default(1),
      way: z.enum(carveWays).default('first').describe('The lowest, the tightest hole, or with room to grow'),
      description: text(200).optional(),
      site: text().optional(),
      vlan: text().optional(),
      use: text().optional(),
      owner: text().optional(),
      gateway: z.enum(['first', 'last', 'none']).default('none').describe('Which address for devices is the gateway'),
      apply: z.boolean().default(false),
    }),
    reply: z.object({
      applied: z.boolean(),
      items: z.array(z.object({ cidr: z.string(), gateway: z.string().nullable() })),
    }),
  }),
  'address.link': route({
    method: 'POST',
    path: '/links',
    role: 'engineer',
    summary: 'Both ends of a link at once: a /31 or /127, an address on each end, and each end says where it leads',
    group: 'Addressing',
    body: z.strictObject({
      from: text().describe('An interface'),
      to: text().optional().describe('The other one; found by the cable in the port of the first if not given'),
      in: text().describe('A prefix from which the next block of two is carved, or such a block itself'),
      apply: z.boolean().default(true),
    }),
    reply: z.object({
      applied: z.boolean(),
      prefix: z.string(),
      ends: z.array(z.object({ interface: z.string(), address: z.string() })),
    }),
  }),
  'prefix.split': route({
    method: 'POST',
    path: '/prefixes/{ref}/split',
    role: 'engineer',
    apart: true,
    summary:
      'A prefix into parts of one size, in its place; addresses, ranges and gateway go to the parts that hold them',
    group: 'Addressing',
    body: z.strictObject({ length: z.int().min(0).max(128), apply: z.boolean().default(false) }),
    reply: reshapedSchema,
  }),
  'prefix.merge': route({
    method: 'POST',
    path: '/merged-prefixes',
    role: 'engineer',
    summary: 'Several prefixes that make up a larger one into that one',
    group: 'Addressing',
    body: z.strictObject({
      prefixes: z.array(text()).min(2).max(1024),
      description: text(200).optional(),
      gateway: text(60).optional().describe('Which it is, where the parts have several'),
      apply: z.boolean().default(false),
    }),
    reply: reshapedSchema,
  }),
  'siteplan.apply': route({
    method: 'POST',
    path: '/site-plans/{ref}/site',
    role: 'engineer',
    apart: true,
    summary: 'What a plan gives a site: shown, or all of it made; what is there already stays as it is',
    group: 'Addressing',
    body: z.strictObject({ site: text(), apply: z.boolean().default(false) }),
    reply: z.object({ applied: z.boolean(), site: z.string(), rows: z.array(planRowSchema), new: z.int() }),
  }),
  'prefix.level': route({
    method: 'GET',
    path: '/prefix-levels',
    role: 'viewer',
    summary:
      'One level of the tree of prefixes: those at the top of a VRF, or those directly in one, and how full they are',
    group: 'Addressing',
    query: z.strictObject({
      vrf: text().optional(),
      parent: text().optional(),
      limit: z.coerce.number().int().min(1).max(500).default(100),
      after: z.string().max(400).optional(),
    }),
    reply: page(
      z.object({
        prefix: z.string(),
        description: z.string().nullable(),
        site: z.string().nullable(),
        vlan: z.string().nullable(),
        use: z.string().nullable(),
        /** Whether others are inside it. */
        nested: z.boolean(),
        /** Of its space, what its children have. */
        givenPercent: z.number(),
        /** Of its space, what is taken: by children, or where there are none by all that is not for fixed assignment. */
        fillPercent: z.number(),
        free: z.string(),
      }),
    ),
  }),
  'prefix.resize': route({
    method: 'POST',
    path: '/prefixes/{ref}/resize',
    role: 'engineer',
    summary: 'A prefix made larger or smaller in its place; nothing in use is cut off or taken in',
    group: 'Addressing',
    body: z.strictObject({ length: z.int().min(0).max(128), apply: z.boolean().default(false) }),
    reply: reshapedSchema,
  }),
  'names.hosts': route({
    method: 'GET',
    path: '/hosts-file',
    role: 'viewer',
    apart: true,
    summary: 'Addresses and names as a hosts file has them, of a site or of all',
    group: 'Addressing',
    query: z.strictObject({ site: text().optional() }),
    reply: z.object({ text: z.string(), hosts: z.int() }),
  }),
  'names.ssh': route({
    method: 'GET',
    path: '/ssh-config',
    role: 'viewer',
    apart: true,
    summary: 'A configuration for SSH clients: names, addresses, users, ports, jump hosts, old algorithms; no secrets',
    group: 'Addressing',
    query: z.strictObject({ where: text(2000).optional() }),
    reply: z.object({ text: z.string(), hosts: z.int() }),
  }),
  'names.knownHosts': route({
    method: 'GET',
    path: '/known-hosts',
    role: 'viewer',
    apart: true,
    summary: 'The host keys that are pinned, as SSH clients keep them',
    group: 'Addressing',
    query: z.strictObject({ where: text(2000).optional() }),
    reply: z.object({ text: z.string(), hosts: z.int(), without: z.array(z.string()) }),
  }),
  'names.zones': route({
    method: 'POST',
    onlyReads: true,
    path: '/zone-files',
    role: 'engineer',
    apart: true,
    summary: 'Zone files (RFC 1035) with A, AAAA and PTR records, of all or of a site; serials grow with what changes',
    group: 'Addressing',
    body: z.strictObject({ site: text().optional() }),
    reply: z.object({
      items: z.array(z.object({ zone: z.string(), serial: z.int(), records: z.int(), text: z.string() })),
      /** Devices that are in no zone, since no setting says their domain; the first five hundred. */
      nameless: z.array(z.string()),
    }),
  }),
  'prefix.overlaps': route({
    method: 'GET',
    path: '/overlaps',
    role: 'viewer',
    summary: 'Prefixes of different VRFs that overlap, and prefixes that stand in one of another site',
    group: 'Addressing',
    query: z.strictObject({ in: text(60).optional().describe('Only what overlaps this prefix') }),
    reply: z.object({
      overlaps: z.array(
        z.object({ one: overlappingSchema, other: overlappingSchema, relation: z.enum(['same', 'holds']) }),
      ),
      strays: z.array(z.object({ prefix: z.string(), site: z.string(), inside: z.string(), siteThere: z.string() })),
      count: z.object({ overlaps: z.int(), strays: z.int() }),
    }),
  }),
  'address.reserve': route({
    method: 'POST',
    path: '/reserved-addresses',
    role: 'engineer',
    apart: true,
    summary: 'Several addresses kept for nobody yet: the next free ones of a prefix, or all of a stretch',
    group: 'Addresses',
    body: z.strictObject({
      prefix: text().optional(),
      count: z.int().min(1).max(1024).default(1),
      inARow: z.boolean().default(false).describe('One after the other'),
      range: text(100).optional().describe('Instead of a prefix: 10.77.34.50-10.77.34.59'),
      vrf: text().optional().describe('Of the stretch'),
      description: text(200).optional(),
      apply: z.boolean().default(true),
    }),
    reply: z.object({ applied: z.boolean(), items: z.array(z.string()) }),
  }),
  'prefix.fits': route({
    method: 'GET',
    path: '/fitting-prefixes',
    role: 'viewer',
    summary: 'Where a block of a size would still fit, prefix by prefix',
    group: 'Addressing',
    query: z.strictObject({
      length: z.coerce.number().int().min(0).max(128),
      site: text().optional(),
      vrf: text().optional(),
      family: z
        .enum(['4', '6'])
        .optional()
        .describe('IPv4 where it is left out, and IPv6 for lengths that only that has'),
    }),
    reply: z.object({
      items: z.array(
        z.object({ prefix: z.string(), description: z.string().nullable(), first: z.string(), blocks: z.string() }),
      ),
    }),
  }),
  'address.lookup': route({
    method: 'GET',
    path: '/lookup',
    role: 'viewer',
    summary: 'What an address is, who has it and had it, or what lies in a prefix; in every VRF, or in one',
    group: 'Addressing',
    query: z.strictObject({ q: text(100), vrf: text().optional() }),
    reply: z.object({ text: z.string(), is: z.enum(['address', 'prefix']), found: z.array(foundSchema) }),
  }),
  'address.convert': route({
    method: 'GET',
    path: '/conversions',
    role: 'viewer',
    summary: 'Masks, wildcards, ranges as prefixes, reverse names, and the way back from each; asks no records',
    group: 'Addressing',
    query: z.strictObject({ text: text(200) }),
    reply: z.object({ is: z.string(), facts: z.array(z.object({ name: z.string(), value: z.string() })) }),
  }),
} as const satisfies Record<string, Route>;
