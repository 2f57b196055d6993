import { Button, Input } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { useNavigate } from 'react-router';
import type { AnyRecord } from '@zpine/contract/kind';
import { client, keys, problemOf } from '../api.ts';
import { useAttempt } from '../look/attempt.tsx';
import { RefInput } from '../records/RefInput.tsx';
import { useMay } from '../session.tsx';
import { CheckResults } from './CheckResults.tsx';
import { CheckState } from './CheckState.tsx';

const WAIT_MS = 400;

/** A check: what it found, and its text, with its faults and what it would find on a device while it is written. */
export default function CheckText({ record }: { record: AnyRecord }) {
  const attempt = useAttempt();
  const may = useMay('engineer');
  const standing = typeof record.source === 'string' ? record.source : '';
  const [typed, setTyped] = useState<string>();
  const [chosen, setChosen] = useState<string | null>(null);
  const text = typed ?? standing;
  const [asked, setAsked] = useState(text);
  useEffect(() => {
    const timer = setTimeout(() => setAsked(text), WAIT_MS);
    return () => clearTimeout(timer);
  }, [text]);
  // One of those that it is for, until somebody chooses another.
  const where = typeof record.devices === 'string' ? record.devices : '';
  const first = useQuery({
    queryKey: keys.list('device', { where, limit: 1 }),
    queryFn: () => client.list('device', { ...(where === '' ? {} : { where }), limit: 1 }),
  });
  const device = chosen ?? first.data?.items[0]?.key ?? null;
  const tried = useQuery({
    queryKey: keys.worked('check-trial', asked, device),
    queryFn: () => client.call('check.try', { body: { source: asked, device: device ?? '' } }),
    enabled: may && device !== null && asked.trim() !== '',
    placeholderData: (before) => before,
    retry: false,
  });
  const faults = tried.data?.faults ?? [];
  const save = () =>
    void attempt(async () => {
      await client.edit('check', record.key, { source: text });
      setTyped(undefined);
      return `${record.key} has this text; what was found by the one before is forgotten`;
    });
  return (
    <>
      <section className="panel" aria-label="Found" style={{ marginTop: 14 }}>
        <h2>Found</h2>
        <div className="body">
          <CheckResults of={{ check: record.key }} />
        </div>
      </section>
      <section className="panel" aria-label="Text" style={{ marginTop: 14 }}>
        <h2>
          Text <span className="second">every line that comes out is a finding; none, and it holds</span>
        </h2>
        <div className="body">
          <Input.TextArea
            aria-label="Text of the check"
            className="mono"
            spellCheck={false}
            readOnly={!may}
            autoSize={{ minRows: 6, maxRows: 26 }}
            value={text}
            onChange={(event) => setTyped(event.target.value)}
          />
          {tried.isError && <p className="wrong">{problemOf(tried.error).detail}</p>}
          {faults.map((fault) => (
            <p key={`${fault.line} ${fault.column} ${fault.message}`} className="wrong">
              <span className="mono">
                {fault.line}:{fault.column}
              </span>{' '}
              {fault.message}
              {fault.hint ? `; ${fault.hint}` : ''}
            </p>
          ))}
          {may && (
            <div className="line" style={{ marginTop: 10 }}>
              <Button type="primary" disabled={typed === undefined || faults.length > 0} onClick={save}>
                Save the text
              </Button>
              {typed !== undefined && <Button onClick={() => setTyped(undefined)}>Leave it as it was</Button>}
              <span className="second">on</span>
              <div style={{ width: 200 }}>
                <RefInput id="try-device" kind="device" value={device} onChange={(value) => setChosen(value)} />
              </div>
            </div>
          )}
          {tried.data?.state && (
            <div style={{ marginTop: 10 }} aria-label="Tried">
              <CheckState of={tried.data.state} />{' '}
              <span className="second">
                {tried.data.why === '' ? 'by its records and what was captured of it last' : tried.data.why}
                {tried.data.questions.length > 0 && `; a run asks the device for ${tried.data.questions.join(', ')}`}
              </span>
              {tried.data.findings.map((line) => (
                <div key={line} className="mono">
                  {line}
                </div>
              ))}
            </div>
          )}
        </div>
      </section>
    </>
  );
}

/** Judges it now, on all devices that it is for. */
export function JudgeNow({ record }: { record: AnyRecord }) {
  const attempt = useAttempt();
  const navigate = useNavigate();
  const may = useMay('engineer');
  if (!may) return null;
  const judge = () =>
    void attempt(async () => {
      const { id } = await client.call('run.check', { body: { checks: [record.key] } });
      void navigate(`/fleet/${id}`);
      return `${record.key} is being judged`;
    });
  return (
    <Button type="primary" onClick={judge}>
      Judge it now
    </Button>
  );
}
