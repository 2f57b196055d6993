import { lazy } from 'react';
import { joined, type Extras } from './extras.ts';

const Page = lazy(() => import('../pages/Template.tsx'));

export const template: Extras = {
  page: ({ recordKey }) => <Page key={recordKey} name={recordKey} />,
  sentence: (r) => (r.fragment ? 'A fragment' : joined(['for', r.dialect, r.model, r.duty])),
};
