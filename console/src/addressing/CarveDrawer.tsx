import { Input, InputNumber, Segmented, Table } from 'antd';
import { useState } from 'react';
import type { CarveWay } from '@zpine/core/addressing/carve';
import type { BodyIn } from '@zpine/contract/routes';
import { client } from '../api.ts';
import { LookDrawer } from '../look/LookDrawer.tsx';
import { RefInput } from '../records/RefInput.tsx';

const ways: { value: CarveWay; label: string }[] = [
  { value: 'first', label: 'lowest' },
  { value: 'best', label: 'tightest hole' },
  { value: 'spread', label: 'room to grow' },
];
const gateways = ['none', 'first', 'last'] as const;

/** The next free blocks of a size in a prefix: looked at, then added. */
export function CarveDrawer({ prefix, length, onClose }: { prefix: string; length: number; onClose: () => void }) {
  const [size, setSize] = useState(length);
  const [count, setCount] = useState(1);
  const [way, setWay] = useState<CarveWay>('first');
  const [gateway, setGateway] = useState<(typeof gateways)[number]>('none');
  const [description, setDescription] = useState('');
  const [site, setSite] = useState<string | null>(null);
  const [use, setUse] = useState<string | null>(null);
  const params = { ref: prefix };
  const body: BodyIn<'prefix.carve'> = {
    length: size,
    count,
    way,
    gateway,
    ...(description ? { description } : {}),
    ...(site ? { site } : {}),
    ...(use ? { use } : {}),
  };
  return (
    <LookDrawer
      title={`Carve out of ${prefix}`}
      asked={body}
      look={() => client.call('prefix.carve', { params, body })}
      doing={({ items }) => `Add ${items.length === 1 ? items[0]?.cidr : `${items.length} prefixes`}`}
      act={async (by) => {
        const done = await by.call('prefix.carve', { params, body: { ...body, apply: true } });
        return `added ${done.items.map((item) => item.cidr).join(', ')}`;
      }}
      onClose={onClose}
      show={({ items }) => (
        <Table
          size="small"
          rowKey="cidr"
          style={{ marginTop: 14 }}
          dataSource={items}
          pagination={{ pageSize: 12, hideOnSinglePage: true, showSizeChanger: false }}
          columns={[
            { title: 'Prefix', render: (_, item) => <span className="mono">{item.cidr}</span> },
            { title: 'Gateway', render: (_, item) => <span className="mono">{item.gateway}</span> },
          ]}
        />
      )}
    >
      <label htmlFor="carve-length">Length</label>
      <InputNumber
        id="carve-length"
        autoFocus
        prefix="/"
        min={0}
        max={128}
        value={size}
        onChange={(next) => setSize(next ?? length)}
      />
      <label htmlFor="carve-count">How many</label>
      <InputNumber id="carve-count" min={1} max={4096} value={count} onChange={(next) => setCount(next ?? 1)} />
      <label>Where</label>
      <Segmented options={ways} value={way} onChange={setWay} />
      <label>Gateway</label>
      <Segmented options={[...gateways]} value={gateway} onChange={setGateway} />
      <label htmlFor="carve-description">Description</label>
      <Input id="carve-description" value={description} onChange={(event) => setDescription(event.target.value)} />
      <label htmlFor="carve-site">Site</label>
      <RefInput id="carve-site" kind="site" value={site} onChange={setSite} />
      <label htmlFor="carve-use">Use</label>
      <RefInput id="carve-use" kind="use" value={use} onChange={setUse} />
    </LookDrawer>
  );
}
