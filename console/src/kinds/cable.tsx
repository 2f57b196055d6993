import { lazy } from 'react';
import { metres } from '../cables/words.ts';
import { joined, type Extras } from './extras.ts';

const Trace = lazy(() => import('../cables/Trace.tsx'));

export const cable: Extras = {
  sentence: (r) =>
    joined([r.kind, r.colour, metres(r.lengthCm as number | null), r.marking, `to ${String(r.to ?? r.farEnd)}`]),
  beside: ({ record }) => (typeof record.from === 'string' ? <Trace port={record.from} /> : null),
};
