import { lazy } from 'react';
import { joined, type Extras } from './extras.ts';

const Page = lazy(() => import('../pages/Batch.tsx'));

export const batch: Extras = {
  page: ({ recordKey }) => <Page key={recordKey} name={recordKey} />,
  sentence: (r) =>
    joined([
      r.strangers === 'by-port' ? 'strangers are recognised by their port' : 'somebody says who a stranger is',
      r.anywhere === true ? 'may boot anywhere' : '',
      r.mail ? `report to ${String(r.mail)}` : '',
      r.note,
    ]),
};
