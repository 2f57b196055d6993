import { joined, upper, type Extras } from './extras.ts';

export const vlan: Extras = {
  sentence: (r) => joined([`VLAN ${String(r.number)} at ${upper(r.site)}`, r.use]),
};
