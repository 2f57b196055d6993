import { lazy } from 'react';
import type { AnyRecord } from '@zpine/contract/kind';
import { portKinds, type PortKindName } from '@zpine/core/rack/ports';
import { joined, type Extras } from './extras.ts';

const Trace = lazy(() => import('../cables/Trace.tsx'));

const comesWith = (r: AnyRecord): string =>
  r.source === 'hand'
    ? 'added by hand'
    : r.source === 'card'
      ? `comes with card ${String(r.card)}`
      : 'comes with the model';

export const port: Extras = {
  sentence: (r) => joined([portKinds[r.kind as PortKindName].title, comesWith(r)]),
  beside: ({ record }) => <Trace port={record.key} />,
  narrowed: ({ to }, { device }) => (to === 'interface' && typeof device === 'string' ? { device } : undefined),
  unchanged: 'It came along with its device, and nobody has changed it.',
};
