import { lazy } from 'react';
import { joined, type Extras } from './extras.ts';

const Page = lazy(() => import('../pages/Prefix.tsx'));

export const prefix: Extras = {
  page: ({ recordKey }) => <Page key={recordKey} cidr={recordKey} />,
  listPage: lazy(() => import('../pages/PrefixTree.tsx')),
  sentence: (r) =>
    joined([
      r.description,
      r.vlan && `VLAN ${String(r.vlan).split('/').at(-1)}`,
      r.gateway && `gateway ${String(r.gateway)}`,
    ]),
};
