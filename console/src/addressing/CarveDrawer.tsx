import { Button, Drawer, Input, InputNumber, Segmented, Table } from 'antd';
import { useState } from 'react';
import { type CarveWay } from '@zpine/core/addressing/carve';
import { type BodyIn, type ReplyOf } from '@zpine/contract/routes';
import { client, problemOf } from '../api.ts';
import { useAttempt } from '../look/attempt.tsx';
import { RefInput } from '../records/RefInput.tsx';

type Carved = ReplyOf<'prefix.carve'>;

const ways: { value: CarveWay; label: string }[] = [
  { value: 'first', label: 'lowest' },
  { value: 'best', label: 'tightest hole' },
  { value: 'spread', label: 'room to grow' },
];
const gateways = ['none', 'first', 'last'] as const;

/** The next free blocks of a size in a prefix: looked at, then added. */
export function CarveDrawer({ prefix, length, onClose }: { prefix: string; length: number; onClose: () => void }) {
  const attempt = useAttempt();
  const [size, setSize] = useState(length);
  const [count, setCount] = useState(1);
  const [way, setWay] = useState<CarveWay>('first');
  const [gateway, setGateway] = useState<(typeof gateways)[number]>('none');
  const [description, setDescription] = useState('');
  const [site, setSite] = useState<string | null>(null);
  const [use, setUse] = useState<string | null>(null);
  const [seen, setSeen] = useState<Carved>();
  const [refused, setRefused] = useState<string>();
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
  const change = (work: () => void) => {
    work();
    setSeen(undefined);
    setRefused(undefined);
  };
  const look = async () => {
    try {
      setSeen(await client.call('prefix.carve', { params, body }));
      setRefused(undefined);
    } catch (error) {
      const { detail, remedy } = problemOf(error);
      setRefused(remedy ? `${detail}; ${remedy}` : detail);
    }
  };
  const make = () =>
    void attempt(async () => {
      const done = await client.call('prefix.carve', { params, body: { ...body, apply: true } });
      onClose();
      return `added ${done.items.map((item) => item.cidr).join(', ')}`;
    });
  return (
    <Drawer
      open
      size={480}
      title={`Carve out of ${prefix}`}
      onClose={onClose}
      footer={
        <div style={{ display: 'flex', gap: 8 }}>
          <Button type={seen ? 'default' : 'primary'} onClick={() => void look()}>
            Look
          </Button>
          {seen && (
            <Button type="primary" onClick={make}>
              Add {seen.items.length === 1 ? seen.items[0]?.cidr : `${seen.items.length} prefixes`}
            </Button>
          )}
          <Button type="text" onClick={onClose}>
            Cancel
          </Button>
        </div>
      }
    >
      <form
        className="form"
        onSubmit={(event) => {
          event.preventDefault();
          void look();
        }}
      >
        <label htmlFor="carve-length">Length</label>
        <InputNumber
          id="carve-length"
          autoFocus
          prefix="/"
          min={0}
          max={128}
          value={size}
          onChange={(next) => change(() => setSize(next ?? length))}
        />
        <label htmlFor="carve-count">How many</label>
        <InputNumber
          id="carve-count"
          min={1}
          max={4096}
          value={count}
          onChange={(next) => change(() => setCount(next ?? 1))}
        />
        <label>Where</label>
        <Segmented options={ways} value={way} onChange={(next) => change(() => setWay(next))} />
        <label>Gateway</label>
        <Segmented options={[...gateways]} value={gateway} onChange={(next) => change(() => setGateway(next))} />
        <label htmlFor="carve-description">Description</label>
        <Input
          id="carve-description"
          value={description}
          onChange={(event) => change(() => setDescription(event.target.value))}
        />
        <label htmlFor="carve-site">Site</label>
        <RefInput id="carve-site" kind="site" value={site} onChange={(next) => change(() => setSite(next))} />
        <label htmlFor="carve-use">Use</label>
        <RefInput id="carve-use" kind="use" value={use} onChange={(next) => change(() => setUse(next))} />
        <button type="submit" hidden aria-hidden tabIndex={-1} />
      </form>
      {refused && (
        <div className="refused" role="alert">
          {refused}
        </div>
      )}
      {seen && (
        <Table
          size="small"
          rowKey="cidr"
          style={{ marginTop: 14 }}
          dataSource={seen.items}
          pagination={{ pageSize: 12, hideOnSinglePage: true, showSizeChanger: false }}
          columns={[
            { title: 'Prefix', render: (_, item) => <span className="mono">{item.cidr}</span> },
            { title: 'Gateway', render: (_, item) => <span className="mono">{item.gateway}</span> },
          ]}
        />
      )}
    </Drawer>
  );
}
