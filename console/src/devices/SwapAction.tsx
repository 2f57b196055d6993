import { Button, Popconfirm } from 'antd';
import { useNavigate } from 'react-router';
import { client } from '../api.ts';
import { useAttempt } from '../look/attempt.tsx';
import { useMay } from '../session.tsx';

/** Begins a swap; where one is under way, leads to it. */
export function SwapAction({ device }: { device: string }) {
  const navigate = useNavigate();
  const attempt = useAttempt();
  if (!useMay('installer')) return null;
  const begin = () =>
    attempt(async () => {
      const { items } = await client.call('swap.list', { query: { open: 'true' } });
      const standing = items.find((one) => one.device === device);
      const { id } = standing ?? (await client.call('swap.start', { params: { ref: device }, body: {} }));
      void navigate(`/swaps/${id}`);
      return standing ? `its swap was begun before` : `the swap of ${device} is begun`;
    });
  return (
    <Popconfirm
      title="Begin to swap its box? What runs and what hangs on its ports is asked for first; nothing changes before another box is in."
      okText="Begin"
      onConfirm={() => void begin()}
    >
      <Button>Swap</Button>
    </Popconfirm>
  );
}
