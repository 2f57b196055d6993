import { joined, type Extras } from './extras.ts';

export const card: Extras = {
  sentence: (r) => joined([r.model, r.serial, `slot ${String(r.slot)} of ${String(r.device)}`]),
};
