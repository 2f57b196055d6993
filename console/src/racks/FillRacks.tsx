import { Button, Drawer, InputNumber, Segmented, Table } from 'antd';
import { useState } from 'react';
import { type ReplyOf } from '@zpine/contract/routes';
import { client, problemOf } from '../api.ts';
import { useAttempt } from '../look/attempt.tsx';
import { RefInput } from '../records/RefInput.tsx';

type Filled = ReplyOf<'rack.fill'>;

interface Props {
  /** By key or `#id`. */
  racks: string[];
  onClose: () => void;
  onDone: () => void;
}

/** Many devices into the racks that were ticked: how many, of which model and duty; names and U come by themselves. */
export function FillRacks({ racks, onClose, onDone }: Props) {
  const attempt = useAttempt();
  const [count, setCount] = useState(racks.length);
  const [model, setModel] = useState<string | null>(null);
  const [duty, setDuty] = useState<string | null>(null);
  const [from, setFrom] = useState<'bottom' | 'top'>('bottom');
  const [seen, setSeen] = useState<Filled>();
  const [refused, setRefused] = useState<string>();
  const body = { racks, count, from, ...(model ? { model } : {}), ...(duty ? { duty } : {}) };
  const change = (work: () => void) => {
    work();
    setSeen(undefined);
    setRefused(undefined);
  };
  const look = async () => {
    try {
      setSeen(await client.call('rack.fill', { body }));
      setRefused(undefined);
    } catch (error) {
      const { detail, remedy } = problemOf(error);
      setRefused(remedy ? `${detail}; ${remedy}` : detail);
    }
  };
  const make = () =>
    void attempt(async () => {
      const done = await client.call('rack.fill', { body: { ...body, apply: true } });
      onDone();
      return `added ${done.items.length} devices`;
    });
  return (
    <Drawer
      open
      size={480}
      title={`Fill ${racks.length} rack${racks.length === 1 ? '' : 's'}`}
      onClose={onClose}
      footer={
        <div style={{ display: 'flex', gap: 8 }}>
          <Button type={seen ? 'default' : 'primary'} onClick={() => void look()}>
            Look
          </Button>
          {seen && (
            <Button type="primary" onClick={make}>
              Add {seen.items.length} devices
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
        <label htmlFor="fill-count">How many in all</label>
        <InputNumber
          id="fill-count"
          autoFocus
          min={1}
          max={500}
          value={count}
          onChange={(next) => change(() => setCount(next ?? 1))}
        />
        <label htmlFor="fill-model">Model</label>
        <RefInput id="fill-model" kind="model" value={model} onChange={(next) => change(() => setModel(next))} />
        <label htmlFor="fill-duty">Duty</label>
        <RefInput id="fill-duty" kind="duty" value={duty} onChange={(next) => change(() => setDuty(next))} />
        <label>Begin at the</label>
        <Segmented options={['bottom', 'top']} value={from} onChange={(next) => change(() => setFrom(next as 'top'))} />
        <p className="hint">Shared out evenly. Names come from the pattern of each place, U from what is free.</p>
      </form>
      {refused && (
        <div className="refused" role="alert">
          {refused}
        </div>
      )}
      {seen && (
        <Table
          size="small"
          rowKey="device"
          dataSource={seen.items}
          pagination={{ pageSize: 15, hideOnSinglePage: true, showSizeChanger: false }}
          columns={[
            { title: 'Device', render: (_, item) => <span className="mono">{item.device}</span> },
            { title: 'Rack', render: (_, item) => <span className="mono">{item.rack}</span> },
            { title: 'U', align: 'right', dataIndex: 'positionU' },
          ]}
        />
      )}
    </Drawer>
  );
}
