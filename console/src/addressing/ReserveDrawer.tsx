import { Checkbox, Input, InputNumber } from 'antd';
import { useState } from 'react';
import { client } from '../api.ts';
import { LookDrawer } from '../look/LookDrawer.tsx';

/** Several addresses of a prefix, kept for nobody yet. */
export function ReserveDrawer({ prefix, onClose }: { prefix: string; onClose: () => void }) {
  const [count, setCount] = useState(4);
  const [inARow, setInARow] = useState(false);
  const [description, setDescription] = useState('');
  const body = { prefix, count, inARow, ...(description ? { description } : {}) };
  const send = (apply: boolean, by = client) => by.call('address.reserve', { body: { ...body, apply } });
  return (
    <LookDrawer
      title={`Reserve in ${prefix}`}
      asked={body}
      look={() => send(false)}
      doing={({ items }) => `Reserve ${items.length} address${items.length === 1 ? '' : 'es'}`}
      act={async (by) => `reserved ${(await send(true, by)).items.length}`}
      onClose={onClose}
      show={({ items }) => (
        <div className="mono" style={{ marginTop: 14, columns: 2 }}>
          {items.map((one) => (
            <div key={one}>{one}</div>
          ))}
        </div>
      )}
    >
      <label htmlFor="reserve-count">How many</label>
      <InputNumber
        id="reserve-count"
        autoFocus
        min={1}
        max={1024}
        value={count}
        onChange={(next) => setCount(next ?? 1)}
      />
      <Checkbox checked={inARow} onChange={(event) => setInARow(event.target.checked)}>
        One after the other
      </Checkbox>
      <label htmlFor="reserve-description">Description</label>
      <Input id="reserve-description" value={description} onChange={(event) => setDescription(event.target.value)} />
    </LookDrawer>
  );
}
