import { lazy } from 'react';
import { notOfForm } from '@zpine/contract/kinds/interfaces';
import { joined, type Extras } from './extras.ts';

const Trace = lazy(() => import('../cables/Trace.tsx'));
const LinkAction = lazy(() => import('../addressing/LinkAction.tsx'));

export const interfaceExtras: Extras = {
  sentence: (r) => joined([r.mode, r.form, r.description, r.enabled ? null : 'disabled']),
  beside: ({ record }) => (typeof record.port === 'string' ? <Trace port={record.port} /> : null),
  actions: ({ record }) => (record.mode === 'access' ? null : <LinkAction record={record} />),
  hidden: ({ form }) => (typeof form === 'string' ? notOfForm(form) : []),
  narrowed: ({ to }, { device }) => {
    if (typeof device !== 'string') return undefined;
    return to === 'interface' ? { device } : to === 'vlan' ? { siteOf: device } : undefined;
  },
  unchanged: 'It came along with its device, and nobody has changed it.',
};
