import { joined, upper, type Extras } from './extras.ts';

export const vlan: Extras = {
  tab: 3,
  sentence: (r) => joined([`VLAN ${String(r.number)} at ${upper(r.site)}`, r.use]),
};
