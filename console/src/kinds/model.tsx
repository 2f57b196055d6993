import { lazy } from 'react';
import { joined, type Extras } from './extras.ts';

const Differing = lazy(() => import('../hardware/Differing.tsx'));
const SheetButton = lazy(() => import('../hardware/SheetButton.tsx'));

export const model: Extras = {
  sentence: (r) =>
    joined([
      r.vendor,
      r.dialect,
      `${String(r.heightU)} U`,
      `${String(r.depth)} depth`,
      r.powerWatts && `${String(r.powerWatts)} W`,
    ]),
  beside: ({ record }) => <Differing model={record.key} />,
  actions: ({ record }) => <SheetButton model={record.key} />,
};
