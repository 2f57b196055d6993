import { Button, Input, Modal } from 'antd';
import { useState } from 'react';
import { client } from '../api.ts';
import { download } from '../imports/files.ts';
import { useAttempt } from '../look/attempt.tsx';

const SHORTEST = 12;

/** For the day on which the service cannot be reached: saved beforehand, sealed with a passphrase. */
export function EmergencySheet({ site }: { site: string }) {
  const [open, setOpen] = useState(false);
  const [passphrase, setPassphrase] = useState('');
  const attempt = useAttempt();
  const save = async (): Promise<void> => {
    const worked = await attempt(async () => {
      const { name, html, devices } = await client.call('swap.emergencySheet', { body: { site, passphrase } });
      download(name, html);
      return `${name}: ${devices.length} devices`;
    });
    if (worked) setOpen(false);
    setPassphrase('');
  };
  return (
    <>
      <Button size="small" onClick={() => setOpen(true)}>
        Emergency sheet
      </Button>
      <Modal
        open={open}
        title={`Emergency sheet of ${site.toUpperCase()}`}
        okText="Save the file"
        okButtonProps={{ disabled: passphrase.length < SHORTEST }}
        onOk={() => void save()}
        onCancel={() => setOpen(false)}
      >
        <p>
          One HTML file with what somebody needs at the consoles of this site while the service cannot be reached:
          addresses, uplinks, cables and whole configurations. It holds secrets, is recorded, and opens in any browser
          without a network, by this passphrase alone.
        </p>
        <label htmlFor="sheet-passphrase">Passphrase, {SHORTEST} characters at least</label>
        <Input.Password
          id="sheet-passphrase"
          autoFocus
          value={passphrase}
          onChange={(event) => setPassphrase(event.target.value)}
        />
      </Modal>
    </>
  );
}
