/** Routes of what the records themselves make doubtful. */
import { z } from 'zod';
import { route, type Route } from './route.ts';

/** What is looked for, in the order in which it is shown. */
export const doubts = {
  'no-management': 'Devices without a management address',
  'no-dialect': 'Devices that nobody knows how to talk to',
  'no-access': 'Devices that nobody can sign in on',
  'no-box': 'Devices without a box',
  'no-rack': 'Devices without a rack',
  'link-prefixes': 'Cables whose two ends are in different prefixes',
  'vlan-one-end': 'VLANs that are carried on one end of a cable only',
  'cable-in-words': 'Cables that end in words which name a device of ours',
  'name-off-pattern': 'Names off the pattern',
  'address-alone': 'Addresses without an interface, and without a word why',
} as const;
export type Doubt = keyof typeof doubts;
export const doubtNames = Object.keys(doubts) as [Doubt, ...Doubt[]];

export const doubtful = z.object({
  kind: z.string(),
  key: z.string(),
  detail: z.string(),
  /** A command that mends it, or leads there. */
  remedy: z.string(),
});
export type Doubtful = z.output<typeof doubtful>;

export const doctorRoutes = {
  'doctor.data': route({
    method: 'GET',
    path: '/plausibility',
    role: 'viewer',
    summary:
      'What the records themselves make doubtful, each with its remedy; counts of all, and the first rows of each',
    group: 'Overview',
    query: z.strictObject({
      only: z.enum(doubtNames).optional(),
      limit: z.coerce.number().int().min(0).max(1000).default(50),
    }),
    reply: z.object({
      items: z.array(
        z.object({ doubt: z.enum(doubtNames), title: z.string(), count: z.int(), rows: z.array(doubtful) }),
      ),
      count: z.int(),
    }),
  }),
} as const satisfies Record<string, Route>;
