import { InputNumber, Segmented, Table } from 'antd';
import { useState } from 'react';
import { client } from '../api.ts';
import { LookDrawer } from '../look/LookDrawer.tsx';
import { RefInput } from '../records/RefInput.tsx';

interface Props {
  /** By key or `#id`. */
  racks: string[];
  onClose: () => void;
  onDone: () => void;
}

/** Many devices into the racks that were ticked: how many, of which model and duty; names and U come by themselves. */
export default function FillRacks({ racks, onClose, onDone }: Props) {
  const [count, setCount] = useState(racks.length);
  const [model, setModel] = useState<string | null>(null);
  const [duty, setDuty] = useState<string | null>(null);
  const [from, setFrom] = useState<'bottom' | 'top'>('bottom');
  const body = { racks, count, from, ...(model ? { model } : {}), ...(duty ? { duty } : {}) };
  return (
    <LookDrawer
      title={`Fill ${racks.length} rack${racks.length === 1 ? '' : 's'}`}
      asked={body}
      look={() => client.call('rack.fill', { body })}
      doing={({ items }) => `Add ${items.length} devices`}
      act={async (by) => {
        const done = await by.call('rack.fill', { body: { ...body, apply: true } });
        onDone();
        return `added ${done.items.length} devices`;
      }}
      onClose={onClose}
      show={({ items }) => (
        <Table
          size="small"
          rowKey="device"
          dataSource={items}
          pagination={{ pageSize: 15, hideOnSinglePage: true, showSizeChanger: false }}
          columns={[
            { title: 'Device', render: (_, item) => <span className="mono">{item.device}</span> },
            { title: 'Rack', render: (_, item) => <span className="mono">{item.rack}</span> },
            { title: 'U', align: 'right', dataIndex: 'positionU' },
          ]}
        />
      )}
    >
      <label htmlFor="fill-count">How many in all</label>
      <InputNumber id="fill-count" autoFocus min={1} max={500} value={count} onChange={(next) => setCount(next ?? 1)} />
      <label htmlFor="fill-model">Model</label>
      <RefInput id="fill-model" kind="model" value={model} onChange={setModel} />
      <label htmlFor="fill-duty">Duty</label>
      <RefInput id="fill-duty" kind="duty" value={duty} onChange={setDuty} />
      <label>Begin at the</label>
      <Segmented options={['bottom', 'top']} value={from} onChange={(next) => setFrom(next as 'top')} />
      <p className="hint">Shared out evenly. Names come from the pattern of each place, U from what is free.</p>
    </LookDrawer>
  );
}
