import { Button } from 'antd';
import { lazy } from 'react';
import { useNavigate } from 'react-router';
import type { Extras } from './extras.ts';

const Page = lazy(() => import('../pages/Device.tsx'));

function PasteList() {
  const navigate = useNavigate();
  return <Button onClick={() => void navigate('/import?from=hosts')}>Paste a list</Button>;
}

export const device: Extras = {
  page: ({ recordKey }) => <Page key={recordKey} name={recordKey} />,
  listActions: PasteList,
  addWords: 'Declare a device',
  example: 'site=ard duty=access',
  narrowed: ({ to }, _values, record) => (to === 'interface' && record ? { device: record.key } : undefined),
  help: { name: lazy(() => import('../devices/NextName.tsx')) },
  copies: {
    columns: ['positionU', 'serial'],
    more: [
      { name: 'serial', title: 'Serial of its box' },
      { name: 'boxMac', title: 'MAC of its box' },
    ],
    names: (name) => name.replace(/\d+$/, '{5..9}'),
  },
  contents: 'Put its box in stock',
};
