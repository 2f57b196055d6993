import { Button } from 'antd';
import { useState } from 'react';
import { Link } from 'react-router';
import { milestones } from '@zpine/core/arrival/arrival';
import { milestoneWords } from '@zpine/core/arrival/words';
import type { ShownArrival } from '@zpine/contract/onboardingShapes';
import { client } from '../api.ts';
import { Ago } from '../look/Ago.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { exact } from '../look/time.ts';
import { pathOf } from '../records/paths.ts';
import { useMay } from '../session.tsx';

const clock = (iso: string): string => new Date(iso).toLocaleTimeString('en-GB');

/** Behind the first stop, what matters is how long it took. */
function since(first: string, at: string): string {
  const seconds = (Date.parse(at) - Date.parse(first)) / 1000;
  if (seconds < 100) return `+${seconds.toFixed(1)} s`;
  return seconds < 6000 ? `+${Math.round(seconds / 60)} min` : `+${Math.round(seconds / 3600)} h`;
}

/** A command stays as it is typed. */
export const asSentence = (text: string): string =>
  text.startsWith('zpine ') ? text : `${(text[0] ?? '').toUpperCase()}${text.slice(1)}.`;

type Look = 'done' | 'now' | 'stuck' | 'ahead';

/** An arrival as a line of stops, with times; a stop tells its evidence when it is chosen. */
export function Track({ arrival, named = true }: { arrival: ShownArrival; named?: boolean }) {
  const [chosen, setChosen] = useState<string>();
  const reached = new Map(arrival.milestones.map((m) => [m.name, m]));
  // Where no image is wanted there is none on the way.
  const stones = milestones.filter((name) => name !== 'image' || reached.has(name));
  const next = stones.find((name) => !reached.has(name));
  const stuck = arrival.diagnosis !== null && arrival.diagnosis.code !== 'ssh-waiting';
  const first = arrival.milestones[0]?.at;
  const lookOf = (name: string): Look => {
    if (reached.has(name)) return 'done';
    if (name !== next || arrival.endedAt !== null) return 'ahead';
    return stuck ? 'stuck' : 'now';
  };
  const open = chosen === undefined ? undefined : reached.get(chosen);
  return (
    <div className="panel arrival">
      <div className="line">
        {named && (
          <div className="who">
            <Link className="mono" to={pathOf('device', arrival.device)}>
              {arrival.device}
            </Link>
            <span>
              {[arrival.site?.toUpperCase(), arrival.model?.split('/').at(-1)?.toUpperCase()]
                .filter(Boolean)
                .join(' · ')}
            </span>
          </div>
        )}
        <ol className="track" aria-label={`Milestones of ${arrival.device}`}>
          {stones.map((name) => {
            const stone = reached.get(name);
            const look = lookOf(name);
            const time = stone && first ? (name === milestones[0] ? clock(first) : since(first, stone.at)) : '';
            return (
              <li key={name} className={look}>
                <button
                  type="button"
                  disabled={!stone}
                  aria-pressed={chosen === name}
                  title={
                    stone
                      ? [exact(stone.at), milestoneWords(name, stone.evidence)].filter(Boolean).join('\n')
                      : undefined
                  }
                  onClick={() => setChosen(chosen === name ? undefined : name)}
                >
                  <i aria-hidden />
                  <b>{name}</b>
                  <span>{stone ? time : look === 'stuck' ? 'stuck' : look === 'now' ? 'waited for' : ''}</span>
                </button>
              </li>
            );
          })}
        </ol>
      </div>
      {open && (
        <dl className="facts evidence">
          {Object.entries(open.evidence).map(([name, value]) => (
            <div key={name} style={{ display: 'contents' }}>
              <dt>{name}</dt>
              <dd className="mono">{Array.isArray(value) ? value.map(String).join('\n') : String(value)}</dd>
            </div>
          ))}
          {Object.keys(open.evidence).length === 0 && <dd className="second">Everything before it.</dd>}
        </dl>
      )}
      {stuck && arrival.diagnosis?.code !== 'other-place' && arrival.endedAt === null && <Wrong arrival={arrival} />}
      {arrival.elsewhere !== null && arrival.endedAt === null && <Elsewhere arrival={arrival} />}
    </div>
  );
}

/** It boots where the records do not have it: somebody looks, and says whether that is right. */
function Elsewhere({ arrival }: { arrival: ShownArrival }) {
  const attempt = useAttempt();
  const may = useMay('installer');
  const confirm = () =>
    void attempt(async () => {
      await client.call('arrival.confirm', { params: { id: String(arrival.id) }, body: {} });
      return `${arrival.device} may serve where it is`;
    });
  return (
    <div className="wrong" role="status">
      <div>
        <strong>Not where the records have it</strong>
        <p className="why">{asSentence(arrival.elsewhere ?? '')}</p>
        <p className="second">It does not serve until somebody says that this is right.</p>
      </div>
      {may && <Button onClick={confirm}>It is right so</Button>}
    </div>
  );
}

/** What is wrong, since when, why, and what mends it. */
function Wrong({ arrival }: { arrival: ShownArrival }) {
  const attempt = useAttempt();
  const may = useMay('installer');
  const { diagnosis } = arrival;
  if (!diagnosis) return null;
  const again = () =>
    void attempt(async () => {
      await client.call('arrival.retry', { params: { id: String(arrival.id) }, body: {} });
      return `${arrival.device} is looked at again`;
    });
  return (
    <div className="wrong" role="status">
      <div>
        <strong>{asSentence(diagnosis.title).slice(0, -1)}</strong>
        {diagnosis.since && (
          <span className="second">
            {' '}
            since <Ago at={diagnosis.since} />
          </span>
        )}
        <p className="why">{asSentence(diagnosis.detail)}</p>
        <p className="second">{asSentence(diagnosis.remedy)}</p>
      </div>
      {may && arrival.milestones.some((m) => m.name === 'file complete') && <Button onClick={again}>Look again</Button>}
    </div>
  );
}
