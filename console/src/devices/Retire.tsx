/** The checklist of retiring a device: what it holds, each part given back or kept. */
import { Checkbox, Modal, Select } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { retireParts } from '@zpine/contract/retiring';
import { client, problemOf } from '../api.ts';
import { useAttempt } from '../look/attempt.tsx';

type Part = (typeof retireParts)[number];

const titles: Record<Part, string> = {
  addresses: 'Addresses',
  cables: 'Cables',
  box: 'Box',
  rack: 'Place in the rack',
};
const becomes = { stock: 'goes to stock', faulty: 'is faulty', retired: 'is retired' } as const;

export function Retire({ device, onClose }: { device: string; onClose: () => void }) {
  const attempt = useAttempt();
  const [keep, setKeep] = useState<Part[]>([]);
  const [box, setBox] = useState<keyof typeof becomes>('stock');
  const send = (apply: boolean) =>
    client.call('device.retire', { params: { ref: device }, body: { keep, box, apply } });
  const told = useQuery({
    queryKey: ['retire', device, keep, box],
    queryFn: () => send(false),
    staleTime: 0,
    gcTime: 0,
    placeholderData: (before) => before,
  });
  const items = told.data?.items ?? [];
  const given = items.filter((item) => !item.kept).length;
  const retire = async () => {
    const done = await attempt(async () => {
      await send(true);
      return `${device} is retired`;
    });
    if (done) onClose();
  };
  return (
    <Modal
      open
      title={`Retire ${device}?`}
      okText={given > 0 ? `Retire and give back ${given}` : 'Retire'}
      okButtonProps={{ danger: true, disabled: !told.data }}
      onOk={retire}
      onCancel={onClose}
    >
      {told.isError && <div className="refused">{problemOf(told.error).detail}</div>}
      {told.data && items.length === 0 && <p>It holds no address, cable, box or place in a rack.</p>}
      {retireParts.map((part) => {
        const mine = items.filter((item) => item.what === part);
        if (mine.length === 0) return null;
        const kept = keep.includes(part);
        return (
          <section key={part} aria-label={titles[part]} style={{ marginBottom: 10 }}>
            <Checkbox
              checked={!kept}
              onChange={({ target }) =>
                setKeep((all) => (target.checked ? all.filter((one) => one !== part) : [...all, part]))
              }
            >
              {titles[part]} <span className="second">{mine.length}</span>
            </Checkbox>
            {part === 'box' && !kept && (
              <Select
                aria-label="What becomes of the box"
                size="small"
                style={{ marginLeft: 8, width: 130 }}
                value={box}
                onChange={setBox}
                options={Object.entries(becomes).map(([value, label]) => ({ value, label }))}
              />
            )}
            <ul className="named">
              {mine.slice(0, 12).map(({ key, words }) => (
                <li key={key}>
                  <span className="mono">{key}</span> <span className="second">{kept ? 'kept' : words}</span>
                </li>
              ))}
              {mine.length > 12 && <li className="second">and {mine.length - 12} more</li>}
            </ul>
          </section>
        );
      })}
    </Modal>
  );
}
