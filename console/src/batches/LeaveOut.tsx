import { Input, Modal } from 'antd';
import { useState } from 'react';
import { client } from '../api.ts';
import { useAttempt } from '../look/attempt.tsx';

/** Why a device is left out is asked, because its report says it. */
export function LeaveOut({ batch, device, onClose }: { batch: string; device: string; onClose: () => void }) {
  const [why, setWhy] = useState('');
  const attempt = useAttempt();
  const leave = async (): Promise<void> => {
    const body = { devices: [device], turn: 'left out' as const, why };
    const worked = await attempt(async () => {
      await client.call('batch.turn', { params: { ref: batch }, body });
      return `${device} is left out`;
    });
    if (worked) onClose();
  };
  return (
    <Modal
      open
      title={`Leave out ${device}`}
      okText="Leave it out"
      okButtonProps={{ disabled: why.trim() === '' }}
      onOk={() => void leave()}
      onCancel={onClose}
    >
      <label htmlFor="leave-why">Why? The report says it.</label>
      <Input id="leave-why" autoFocus value={why} maxLength={300} onChange={(event) => setWhy(event.target.value)} />
    </Modal>
  );
}
