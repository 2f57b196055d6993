import { Button, Input, Progress, Upload } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { sizeWords } from '@zpine/core/fleet/upgrading';
import { DevicesInTable } from './ImageDevices.tsx';
import type { AnyRecord } from '@zpine/contract/kind';
import { client, keys, problemOf, queries } from '../api.ts';
import { useAttempt } from '../look/attempt.tsx';
import { useMay } from '../session.tsx';
import { sendImage } from './sendImage.ts';

/** The content of an image, where it is, and who wants it. */
export default function ImagePanel({ record }: { record: AnyRecord }) {
  const held = useQuery({
    queryKey: keys.worked('image-held', record.key, record.version),
    queryFn: () => client.call('image.held', { query: {} }),
  });
  const state = held.data?.items.find((one) => one.image === record.key)?.state;
  const wanted = useQuery({
    queryKey: keys.worked('image-devices', record.key, record.version),
    queryFn: () => client.call('image.devices', { params: { ref: record.key } }),
  });
  const { named = [], count = 0, running = 0, devices = [] } = wanted.data ?? {};
  const may = useMay('engineer');
  const where = record.model ? `model=${String(record.model)}` : `dialect=${String(record.dialect)}`;
  return (
    <>
      <section className="panel" aria-label="Content" style={{ marginTop: 14 }}>
        <h2>Content</h2>
        <div className="body">
          <Content record={record} state={state} may={may} />
        </div>
      </section>
      <section className="panel" aria-label="Who wants it" style={{ marginTop: 14 }}>
        <h2>
          Who wants it <span className="second">{wanted.data ? count : ''}</span>
        </h2>
        <div className="body">
          {wanted.isError && <div className="refused">{problemOf(wanted.error).detail}</div>}
          {wanted.data && named.length === 0 && (
            <p>
              No layer names it. <Link to="/setting/image.wanted">image.wanted</Link> says which devices should run it:
              for a model, a duty, a site, a label or one device.
            </p>
          )}
          {named.length > 0 && (
            <p>
              Named by {named.join(', ')}; {running} of {count} said last that they run it.
            </p>
          )}
          {devices.length > 0 && <DevicesInTable devices={devices} more={count - devices.length} />}
          {may && count > running && (
            <Link to={`/fleet?${new URLSearchParams({ do: 'upgrade', where }).toString()}`}>
              <Button type="primary">Look at an upgrade</Button>
            </Link>
          )}
        </div>
      </section>
    </>
  );
}

function Content({ record, state, may }: { record: AnyRecord; state: string | undefined; may: boolean }) {
  const attempt = useAttempt();
  const [digest, setDigest] = useState('');
  const [percent, setPercent] = useState<number>();
  const put = async (file: File) => {
    setPercent(0);
    await attempt(async () => {
      const kept = await sendImage(record.key, file, digest.trim(), setPercent);
      await queries.invalidateQueries({ queryKey: ['records', 'image'] });
      await queries.invalidateQueries({ queryKey: ['worked'] });
      return kept.changed ? `${sizeWords(kept.bytes)} are kept` : 'it had this content already';
    });
    setPercent(undefined);
  };
  const words: Record<string, string> = {
    here: 'This service has it.',
    absent: 'This service does not have it: its folder of images is not the shared one, or the file was taken away.',
    empty: 'Nothing was sent yet: devices that want it are told that there is none.',
  };
  return (
    <>
      <p>
        {words[state ?? ''] ?? ''}
        {state === 'here' && ` ${sizeWords(Number(record.bytes))}.`}
      </p>
      {may && (
        <div className="line" style={{ marginTop: 8 }}>
          <Input
            aria-label="Digest that it has to have"
            className="mono"
            style={{ width: 340 }}
            placeholder="SHA-256 or SHA-512 from where it comes from"
            value={digest}
            onChange={(event) => setDigest(event.target.value)}
          />
          <Upload
            maxCount={1}
            showUploadList={false}
            beforeUpload={(file) => {
              void put(file);
              return false;
            }}
          >
            <Button loading={percent !== undefined}>{record.sha256 ? 'Send it once more' : 'Send its content'}</Button>
          </Upload>
        </div>
      )}
      {percent !== undefined && <Progress aria-label="How much was sent" percent={percent} strokeColor="var(--pine)" />}
    </>
  );
}
