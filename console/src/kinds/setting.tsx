import { lazy } from 'react';
import { joined, type Extras } from './extras.ts';

const Page = lazy(() => import('../pages/Setting.tsx'));

export const setting: Extras = {
  page: ({ recordKey }) => <Page key={recordKey} name={recordKey} />,
  sentence: (r) => joined([r.about, r.valueType, r.unit]),
};
