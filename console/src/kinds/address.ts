import { joined, type Extras } from './extras.ts';

export const address: Extras = {
  sentence: (r) =>
    joined([r.interface ? `on ${String(r.interface)}` : 'reserved', r.description, `in ${String(r.prefix)}`]),
};
