import { lazy } from 'react';
import { joined, upper, type Extras } from './extras.ts';

const CopySite = lazy(() => import('../places/CopySite.tsx'));

export const site: Extras = {
  sentence: (r) => joined([upper(r.code), r.area, r.timeZone]),
  actions: CopySite,
};
