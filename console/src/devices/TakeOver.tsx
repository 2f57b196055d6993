import { Button, Checkbox, Drawer } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { Client } from '@zpine/contract/client';
import { client, keys, problemOf } from '../api.ts';
import { Differences } from '../fleet/Differences.tsx';
import { Impact } from '../impact/Impact.tsx';
import { useAttempt } from '../look/attempt.tsx';

/** What each difference of a device would mean for its records, to be chosen; with what that would do to other devices. */
export function TakeOver({ device, onClose }: { device: string; onClose: () => void }) {
  const attempt = useAttempt();
  const [chosen, setChosen] = useState<string[]>([]);
  const found = useQuery({
    queryKey: keys.worked('drift-means', device),
    queryFn: () => client.call('drift.means', { params: { ref: device } }),
    retry: false,
  });
  const items = found.data?.items ?? [];
  const act = async (by: Pick<Client, 'call'>) => {
    const { taken } = await by.call('drift.takeOver', { params: { ref: device }, body: { take: chosen } });
    return `${taken.length} taken over: make another edition of ${device}`;
  };
  const go = async () => {
    if (await attempt(() => act(client))) onClose();
  };
  const choose = (id: string, on: boolean) => setChosen((all) => (on ? [...all, id] : all.filter((one) => one !== id)));
  return (
    <Drawer
      open
      size={620}
      title={`Take over what ${device} runs`}
      onClose={onClose}
      footer={
        <div style={{ display: 'flex', gap: 8 }}>
          <Button type="primary" disabled={chosen.length === 0} onClick={() => void go()}>
            Take {chosen.length === 0 ? '' : chosen.length} over
          </Button>
          <Button type="text" onClick={onClose}>
            Cancel
          </Button>
        </div>
      }
    >
      {found.isError && <div className="refused">{problemOf(found.error).detail}</div>}
      {found.isPending && <p className="second">Each difference is being tried …</p>}
      {found.data && items.length === 0 && <p className="second">Nothing differs from what the records say.</p>}
      {items.map(({ id, difference, means, why }) => (
        <div key={id} style={{ marginBottom: 12 }}>
          <Differences all={[difference]} />
          {why === undefined ? (
            <Checkbox checked={chosen.includes(id)} onChange={(event) => choose(id, event.target.checked)}>
              {means.join('; ')}
            </Checkbox>
          ) : (
            <span className="second">Not to be taken over: {why}.</span>
          )}
        </div>
      ))}
      {chosen.length > 0 && <Impact write={act} asked={chosen} />}
    </Drawer>
  );
}
