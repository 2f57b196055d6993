import { lazy } from 'react';
import { joined, type Extras } from './extras.ts';

const Text = lazy(() => import('../fleet/CheckText.tsx'));
const JudgeNow = lazy(async () => ({ default: (await import('../fleet/CheckText.tsx')).JudgeNow }));

export const check: Extras = {
  beside: Text,
  primary: JudgeNow,
  sentence: (r) =>
    joined([
      r.key,
      r.devices ?? 'all devices',
      r.severity,
      typeof r.hour === 'number' ? `daily at ${String(r.hour).padStart(2, '0')}:00` : 'by hand',
    ]),
};
