import { Button, Input, InputNumber, Modal } from 'antd';
import { useState } from 'react';
import { client } from '../api.ts';
import { useAttempt } from '../look/attempt.tsx';

/** When the window of a batch opens, and for how long. */
export function OpenWindow({ batch }: { batch: string }) {
  const [open, setOpen] = useState(false);
  const [at, setAt] = useState('');
  const [hours, setHours] = useState(6);
  const attempt = useAttempt();
  const save = async (): Promise<void> => {
    const body = { hours, ...(at.trim() === '' ? {} : { at }) };
    const worked = await attempt(async () => {
      const board = await client.call('batch.open', { params: { ref: batch }, body });
      return board.window === 'before' ? `${batch} opens by itself` : `${batch} is open`;
    });
    if (worked) setOpen(false);
  };
  return (
    <>
      <Button type="primary" onClick={() => setOpen(true)}>
        Open its window
      </Button>
      <Modal
        open={open}
        title={`Window of ${batch}`}
        okText={at.trim() === '' ? 'Open now' : 'Open then'}
        onOk={() => void save()}
        onCancel={() => setOpen(false)}
      >
        <div className="fields">
          <label htmlFor="batch-at">From</label>
          <Input
            id="batch-at"
            value={at}
            placeholder="now; or 22:00, or 2026-12-04 22:00"
            onChange={(event) => setAt(event.target.value)}
          />
          <label htmlFor="batch-hours">Hours</label>
          <InputNumber id="batch-hours" min={0.1} max={2160} value={hours} onChange={(next) => setHours(next ?? 6)} />
        </div>
      </Modal>
    </>
  );
}
