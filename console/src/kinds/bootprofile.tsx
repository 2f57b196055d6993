import { lazy } from 'react';
import { joined, type Extras } from './extras.ts';

const ProfilePanel = lazy(() => import('../addressing/ProfilePanel.tsx'));

export const bootprofile: Extras = {
  beside: ProfilePanel,
  sentence: (r) =>
    joined([
      [r.dialect, r.model, r.duty].filter(Boolean).join(', ') || 'any device',
      r.classes && `as ${String(r.classes)}`,
      `${String(r.transport)}: ${String(r.file)}`,
    ]),
};
