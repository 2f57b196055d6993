import { Button, Input } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { useNavigate } from 'react-router';
import type { ReplyOf } from '@zpine/contract/routes';
import { client, keys, problemOf } from '../api.ts';
import type { AnyRecord } from '@zpine/contract/kind';
import { useAttempt } from '../look/attempt.tsx';
import { RefInput } from '../records/RefInput.tsx';
import { useMay } from '../session.tsx';

type Tried = ReplyOf<'dialect.try'>;

/** The sheet of a dialect: written with its faults beside it, tried on a recorded session or on a device, then saved. */
export default function DialectSheet({ record }: { record: AnyRecord }) {
  const attempt = useAttempt();
  const navigate = useNavigate();
  const may = useMay('engineer');
  const shipped = useQuery({ queryKey: keys.worked('shipped'), queryFn: () => client.call('dialect.shipped') });
  const own = typeof record.sheet === 'string' ? record.sheet : null;
  const standing = own ?? shipped.data?.items.find((one) => one.name === record.key)?.sheet ?? '';
  const [typed, setTyped] = useState<string>();
  const [session, setSession] = useState('');
  const [device, setDevice] = useState<string | null>(null);
  const [tried, setTried] = useState<Tried>();
  const text = typed ?? standing;
  const [asked, setAsked] = useState(text);
  useEffect(() => {
    const timer = setTimeout(() => setAsked(text), 300);
    return () => clearTimeout(timer);
  }, [text]);
  const checked = useQuery({
    queryKey: ['sheet-check', asked],
    queryFn: () => client.call('dialect.check', { body: { sheet: asked } }),
    enabled: asked.trim() !== '',
    placeholderData: (before) => before,
  });
  const faults = checked.data?.faults ?? [];
  const save = () =>
    void attempt(async () => {
      await client.edit('dialect', record.key, { sheet: text });
      setTyped(undefined);
      return `${record.key} has this sheet`;
    });
  const tryIt = () =>
    void attempt(async () => {
      const result = await client.call('dialect.try', {
        body: { sheet: text, ...(device === null ? { session } : { device }) },
      });
      if (result.run !== null) {
        void navigate(`/fleet/${result.run}`);
        return `${device ?? ''} is being asked, read-only`;
      }
      setTried(result);
      return `${result.tried.filter((one) => one.fits).length} of ${result.tried.length} fit`;
    });
  return (
    <section className="panel" aria-label="Sheet" style={{ marginTop: 14 }}>
      <h2>
        Sheet{' '}
        <span className="second">
          {own !== null
            ? 'its own'
            : standing === ''
              ? 'none: nobody can talk to its devices yet'
              : 'the one that ships under this name'}
        </span>
      </h2>
      <div className="body">
        <Input.TextArea
          aria-label="Sheet, as YAML"
          className="mono"
          spellCheck={false}
          readOnly={!may}
          autoSize={{ minRows: 10, maxRows: 26 }}
          value={text}
          onChange={(event) => setTyped(event.target.value)}
        />
        {checked.isError && <p className="wrong">{problemOf(checked.error).detail}</p>}
        {faults.map((fault) => (
          <p key={`${fault.line} ${fault.column} ${fault.message}`} className="wrong">
            <span className="mono">
              {fault.line}:{fault.column}
            </span>{' '}
            {fault.place && <span className="mono">{fault.place}: </span>}
            {fault.message}
          </p>
        ))}
        {checked.data && faults.length === 0 && text.trim() !== '' && (
          <p className="second">No faults. Questions: {checked.data.questions.join(', ') || 'none'}.</p>
        )}
        {may && (
          <>
            <div className="line" style={{ marginTop: 10 }}>
              <Button type="primary" disabled={typed === undefined || faults.length > 0} onClick={save}>
                Save the sheet
              </Button>
              {typed !== undefined && <Button onClick={() => setTyped(undefined)}>Leave it as it was</Button>}
            </div>
            <h3 style={{ marginTop: 16 }}>Try it</h3>
            <p className="second">On what a terminal showed, pasted here, or read-only on a device of the records.</p>
            <div className="two">
              <Input.TextArea
                aria-label="Recorded session"
                className="mono"
                spellCheck={false}
                autoSize={{ minRows: 3, maxRows: 10 }}
                placeholder={'quay: tell about\nmodel    LF-24\n…'}
                value={session}
                onChange={(event) => setSession(event.target.value)}
              />
              <div>
                <RefInput id="try-device" kind="device" value={device} onChange={(value) => setDevice(value)} />
                <Button
                  style={{ marginTop: 8 }}
                  disabled={faults.length > 0 || (device === null && session.trim() === '')}
                  onClick={tryIt}
                >
                  Try {device === null ? 'on the session' : `on ${device}`}
                </Button>
              </div>
            </div>
            {tried && (
              <table className="plain-table" style={{ marginTop: 10 }}>
                <tbody>
                  {tried.tried.map((one) => (
                    <tr key={one.what}>
                      <td>
                        <span style={{ color: one.fits ? 'var(--pine)' : 'var(--berry)' }}>{one.fits ? '●' : '✕'}</span>{' '}
                        {one.what}
                      </td>
                      <td className="mono">{one.command}</td>
                      <td className="second">{one.detail}</td>
                      <td className="mono">
                        {one.rows[0] &&
                          Object.entries(one.rows[0])
                            .map(([name, value]) => `${name}=${value}`)
                            .join(' ')}
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            )}
          </>
        )}
      </div>
    </section>
  );
}
