import { joined, upper, type Extras } from './extras.ts';

export const room: Extras = { sentence: (r) => joined([r.key, upper(r.site)]) };
