import { lazy } from 'react';
import { joined, type Extras } from './extras.ts';

const RoutinePanel = lazy(() => import('../fleet/RoutinePanel.tsx'));

export const routine: Extras = {
  beside: RoutinePanel,
  sentence: (r) =>
    joined([
      r.key,
      r.does,
      r.devices ?? 'whichever devices are named',
      typeof r.hour === 'number' ? `daily at ${String(r.hour).padStart(2, '0')}:00` : 'by hand',
    ]),
};
