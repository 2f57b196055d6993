/** What a DHCP server that stands beside this one is fed with. */
import { z } from 'zod';
import { text } from './onboardingShapes.ts';
import { route, type Route } from './route.ts';

export const reservationSchema = z.object({
  device: z.string(),
  address: z.string(),
  prefix: z.string(),
  vrf: z.string(),
  mac: z.string().nullable(),
  /** What it says as its client identifier, where it has no hardware address in the records. */
  serial: z.string().nullable(),
  leaseSeconds: z.int(),
  /** The name or URL of its first file, while its arrival window is open. */
  file: z.string().nullable(),
  nextServer: z.string().nullable(),
});
export type Reservation = z.output<typeof reservationSchema>;

export const dhcpPoolSchema = z.object({
  prefix: z.string(),
  vrf: z.string(),
  mask: z.string(),
  gateway: z.string().nullable(),
  pool: z.enum(['pool', 'quarantine']),
  first: z.string(),
  last: z.string(),
  leaseSeconds: z.int().nullable(),
});
export type DhcpPool = z.output<typeof dhcpPoolSchema>;

/** `told`: to who asks, or to everybody. Of a device stands what is not told in its whole prefix alike. */
export const dhcpOptionSchema = z.object({
  scope: z.enum(['prefix', 'device']),
  of: z.string(),
  code: z.int(),
  name: z.string(),
  value: z.string(),
  /** As they stand in the packet, in hexadecimal. */
  bytes: z.string(),
  told: z.enum(['asked', 'unasked']),
});
export type DhcpOption = z.output<typeof dhcpOptionSchema>;

export const dhcpDataParts = ['reservations', 'pools', 'options'] as const;

export const dhcpDataRoutes = {
  'bootprofile.clients': route({
    method: 'GET',
    path: '/bootprofiles/{ref}/clients',
    role: 'viewer',
    summary: 'Which devices boot by a profile, and what of it they would not follow',
    group: 'Leases',
    reply: z.object({
      count: z.int(),
      /** The first of them. */
      devices: z.array(z.string()),
      /** Devices that it could hold for, and another profile does. */
      instead: z.array(z.object({ profile: z.string(), count: z.int() })),
      lints: z.array(z.object({ detail: z.string(), remedy: z.string() })),
    }),
  }),
  'dhcp.data': route({
    method: 'GET',
    path: '/dhcp-data',
    // URLs of files are in it, and whoever has one is given the file.
    role: 'engineer',
    apart: true,
    summary: 'What another DHCP server needs: fixed addresses, pools, and options with their bytes',
    group: 'Leases',
    query: z.strictObject({
      part: z.enum(dhcpDataParts),
      where: text(2000).optional().describe('Devices; of pools and options of prefixes: those that they boot in'),
    }),
    reply: z.object({
      reservations: z.array(reservationSchema),
      pools: z.array(dhcpPoolSchema),
      options: z.array(dhcpOptionSchema),
    }),
  }),
} as const satisfies Record<string, Route>;
