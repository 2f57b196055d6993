import { lazy } from 'react';
import { joined, type Extras } from './extras.ts';

const BatchBoard = lazy(() => import('../batches/BatchBoard.tsx'));

export const batch: Extras = {
  beside: BatchBoard,
  sentence: (r) =>
    joined([
      r.strangers === 'by-port' ? 'strangers are recognised by their port' : 'strangers are asked about',
      r.anywhere === true ? 'may boot anywhere' : '',
      r.mail ? `report to ${String(r.mail)}` : '',
    ]),
};
