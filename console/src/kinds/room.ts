import { joined, upper, type Extras } from './extras.ts';

export const room: Extras = { tab: 2, sentence: (r) => joined([r.key, upper(r.site)]) };
