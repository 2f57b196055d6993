import { Button } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import type { ReplyOf } from '@zpine/contract/routes';
import { client, keys } from '../api.ts';
import { Differences } from '../fleet/Differences.tsx';
import { FileDiffs } from '../fleet/FileDiffs.tsx';
import { Ago } from '../look/Ago.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { useMay } from '../session.tsx';
import { TakeOver } from './TakeOver.tsx';

type Found = NonNullable<ReplyOf<'drift.show'>['drift']>;

const lines = (n: number): string => `${n} line${n === 1 ? '' : 's'}`;

/** What the device should run beside what it ran when it was compared last, with the button that mends it. */
export function DriftPanel({ device }: { device: string }) {
  const attempt = useAttempt();
  const navigate = useNavigate();
  const may = useMay('engineer');
  const [taking, setTaking] = useState(false);
  const found = useQuery({
    queryKey: keys.worked('device-drift', device),
    queryFn: () => client.call('drift.show', { params: { ref: device } }),
  });
  if (!found.data) return null;
  const { drift } = found.data;
  const begin = (call: 'run.compare' | 'run.push') =>
    void attempt(async () => {
      const { id } = await client.call(call, { body: { devices: [device] } });
      void navigate(`/fleet/${id}`);
      return call === 'run.compare' ? `${device} is being compared` : 'what would be changed is being looked at';
    });
  const differs = drift !== null && (drift.lines > 0 || (drift.unkept ?? 0) > 0);
  return (
    <section className={`panel${differs ? ' attention' : ''}`} aria-label="Compared">
      <div className="body">
        <div className="spread">
          <span>{drift ? <Sentence drift={drift} /> : 'It was never held against its published edition.'}</span>
          {may && (
            <span>
              <Button onClick={() => begin('run.compare')}>Compare it</Button>{' '}
              {drift !== null && drift.lines > 0 && <Button onClick={() => setTaking(true)}>Take it over …</Button>}{' '}
              {differs && drift.edition !== null && (
                <Button type="primary" onClick={() => begin('run.push')}>
                  {drift.lines > 0 ? `Bring it to edition ${drift.published ?? drift.edition} …` : 'Store what runs …'}
                </Button>
              )}
            </span>
          )}
        </div>
        {drift?.comparison && <Differences all={drift.comparison.differences} />}
        {drift?.comparison && <FileDiffs files={drift.comparison.files} />}
        {drift && drift.stored.length > 0 && (
          <>
            <p className="second">Runs, and is not stored so:</p>
            <Differences all={drift.stored} />
          </>
        )}
        {drift?.comparison && drift.comparison.notComparable.length > 0 && (
          <>
            <p className="second">Not comparable, as the device does not show enough of the secret:</p>
            <Differences all={drift.comparison.notComparable} />
          </>
        )}
        {drift?.comparison && drift.comparison.elsewhere.length > 0 && (
          <details>
            <summary className="second">{lines(drift.elsewhere)} of no part of ours, left alone</summary>
            <pre className="mono filetext">{drift.comparison.elsewhere.join('\n')}</pre>
          </details>
        )}
      </div>
      {taking && <TakeOver device={device} onClose={() => setTaking(false)} />}
    </section>
  );
}

function Sentence({ drift }: { drift: Found }) {
  const { edition, published } = drift;
  return (
    <>
      {edition === null && 'It has no published edition to be held against.'}
      {edition !== null && drift.lines === 0 && (
        <>
          It runs edition {edition}, {lines(drift.right)}.
        </>
      )}
      {edition !== null && drift.lines > 0 && (
        <>
          It differs from edition {edition} in {lines(drift.lines)} since <Ago at={drift.since ?? drift.comparedAt} />.
        </>
      )}
      {edition !== null && published !== null && published !== edition && <> Edition {published} is published since.</>}
      {(drift.unkept ?? 0) > 0 && (
        <>
          {' '}
          {lines(drift.unkept ?? 0)} of what runs {drift.unkept === 1 ? 'is' : 'are'} not stored so.
        </>
      )}{' '}
      <span className="second">
        Compared <Ago at={drift.comparedAt} /> ago.
      </span>
    </>
  );
}
