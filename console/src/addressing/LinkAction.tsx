import { Button } from 'antd';
import { useState } from 'react';
import { client } from '../api.ts';
import type { AnyRecord } from '@zpine/contract/kind';
import { LookDrawer } from '../look/LookDrawer.tsx';
import { RefInput } from '../records/RefInput.tsx';
import { useMay } from '../session.tsx';

/** Addresses for both ends of a link at once. */
export default function LinkAction({ record }: { record: AnyRecord }) {
  const [open, setOpen] = useState(false);
  if (!useMay('engineer')) return null;
  return (
    <>
      <Button onClick={() => setOpen(true)}>Address the link …</Button>
      {open && <LinkDrawer from={record.key} onClose={() => setOpen(false)} />}
    </>
  );
}

function LinkDrawer({ from, onClose }: { from: string; onClose: () => void }) {
  const [to, setTo] = useState<string | null>(null);
  const [within, setWithin] = useState<string | null>(null);
  const send = (apply: boolean, by = client) =>
    by.call('address.link', { body: { from, in: within ?? '', ...(to ? { to } : {}), apply } });
  return (
    <LookDrawer
      title={`The link at ${from}`}
      asked={[to, within]}
      ready={within !== null}
      look={() => send(false)}
      doing={(seen) => `Address both ends out of ${seen.prefix}`}
      act={async (by) => {
        const { ends } = await send(true, by);
        return ends.map((end) => `${end.interface} has ${end.address}`).join(', ');
      }}
      onClose={onClose}
      show={(seen) => (
        <dl className="facts mono" style={{ marginTop: 14 }}>
          {seen.ends.map((end) => (
            <div key={end.interface} style={{ display: 'contents' }}>
              <dt>{end.interface}</dt>
              <dd>{end.address}</dd>
            </div>
          ))}
        </dl>
      )}
    >
      <label htmlFor="link-in">Out of</label>
      <RefInput id="link-in" kind="prefix" value={within} onChange={setWithin} />
      <label htmlFor="link-to">Other end</label>
      <RefInput id="link-to" kind="interface" value={to} onChange={setTo} />
      <p className="hint">Left empty, the other end is where the cable in its port leads.</p>
    </LookDrawer>
  );
}
