import { Button, Progress } from 'antd';
import { useEffect, useRef, useState } from 'react';
import { Link } from 'react-router';
import type { Client } from '@zpine/contract/client';
import { isKind, kindOf } from '@zpine/contract/kinds';
import type { Impact as Told, ImpactGroup, ImpactRecord, LineDiff } from '@zpine/contract/impactShapes';
import { client, problemOf } from '../api.ts';
import { DiffLines } from '../fleet/DiffLines.tsx';
import { inSentence } from '../look/words.ts';
import { pathOf } from '../records/paths.ts';

interface Props {
  /** The write as it will be sent, by a client that saves nothing. */
  write: (client: Client) => Promise<unknown>;
  /** What goes into it: another value makes what was told out of date. */
  asked: unknown;
}

/** What a write would do elsewhere, told while it is found: on forms and imports, before they are saved. */
export function Impact({ write, asked }: Props) {
  const [told, setTold] = useState<Told>();
  const [refused, setRefused] = useState<string>();
  const [running, setRunning] = useState(false);
  const stop = useRef<AbortController>(undefined);
  const text = JSON.stringify(asked);
  useEffect(() => {
    setTold(undefined);
    setRefused(undefined);
    return () => stop.current?.abort();
  }, [text]);
  const look = async () => {
    stop.current?.abort();
    const mine = (stop.current = new AbortController());
    setRunning(true);
    setRefused(undefined);
    setTold(undefined);
    try {
      setTold(
        await client.impactOf(write, {
          signal: mine.signal,
          hear: (impact) => !mine.signal.aborted && setTold(impact),
        }),
      );
    } catch (error) {
      if (mine.signal.aborted) return;
      const { detail, remedy, errors = [] } = problemOf(error);
      const first = errors[0] ? `${errors[0].pointer.replaceAll('/', ' ').trim()}: ${errors[0].detail}` : detail;
      setRefused(remedy ? `${first}; ${remedy}` : first);
    } finally {
      if (stop.current === mine) setRunning(false);
    }
  };
  return (
    <section aria-label="Impact" className="impact">
      <div className="impact-head">
        <h2>Preview</h2>
        {told && <span className="second">{summary(told, running)}</span>}
        <span className="spacer" />
        {running ? (
          <Button size="small" onClick={() => (stop.current?.abort(), setRunning(false))}>
            Stop
          </Button>
        ) : (
          <Button size="small" onClick={() => void look()}>
            {told ? 'Look again' : 'See what it would change'}
          </Button>
        )}
      </div>
      {running && told && told.devices > 40 && (
        <Progress percent={Math.floor((100 * told.looked) / told.devices)} size="small" showInfo={false} />
      )}
      {!told && !refused && !running && (
        <p className="hint">Configurations and boot answers of devices, before anything is saved.</p>
      )}
      {refused && (
        <div className="refused" role="alert">
          {refused}
        </div>
      )}
      {told && <Found told={told} />}
    </section>
  );
}

const devicesWord = (count: number): string => `${count.toLocaleString('en')} device${count === 1 ? '' : 's'}`;
const changedIn = ({ groups }: Told): number => groups.reduce((sum, group) => sum + group.devices.length, 0);

function summary(told: Told, running: boolean): string {
  const changed = changedIn(told);
  const checked = `${devicesWord(told.looked)} checked`;
  if (running) return `${checked} so far: ${changed} would change`;
  if (told.devices === 0) return 'no device is affected';
  return `${checked}: ${changed === 0 ? 'none' : changed} would change`;
}

function Found({ told }: { told: Told }) {
  return (
    <>
      {told.stopped !== null && <div className="refused">Not the whole of it: {told.stopped}.</div>}
      {told.groups.map((group, i) => (
        <Group key={group.id} group={group} open={i === 0} />
      ))}
      {told.stale.length > 0 && (
        <p>
          {told.stale.length === 1 ? 'One edition would turn' : `${told.stale.length} editions would turn`}{' '}
          <span title="made from what the records say now">stale</span>: <Devices keys={told.stale} />
        </p>
      )}
      {told.records.length > 0 && <Records records={told.records} count={told.recordCount} />}
    </>
  );
}

function Group({ group, open }: { group: ImpactGroup & { devices: string[] }; open: boolean }) {
  const { diff, devices, words, each } = group;
  return (
    <details className="panel impact-group" open={open}>
      <summary>
        <b className="count">{devicesWord(devices.length)}</b>
        <span>
          {words}
          {each && <span className="second">; in each device its own, this is the first</span>}
        </span>
      </summary>
      <div className="body">
        <Devices keys={devices} />
        {diff.troubles.map((text) => (
          <div key={text} className="refused">
            {text}
          </div>
        ))}
        {diff.mended.map((text) => (
          <div key={text} className="mended">
            No longer: {text}
          </div>
        ))}
        {diff.parts.map((part) => (
          <div key={`${part.file} ${part.part}`}>
            <h3>
              {part.part === '' ? 'outside of parts' : part.part}
              {part.file !== '' && <span className="second mono"> {part.file}</span>}
              {part.secret && <span className="second"> a secret that would be another one</span>}
            </h3>
            <Lines diff={part} />
          </div>
        ))}
        {diff.boot && diff.is !== 'gone' && (
          <div>
            <h3>boot answer</h3>
            <Lines diff={diff.boot} />
          </div>
        )}
      </div>
    </details>
  );
}

function Lines({ diff }: { diff: LineDiff }) {
  const lines = [
    ...diff.removed.map((text) => ({ sign: '-' as const, text })),
    ...diff.added.map((text) => ({ sign: '+' as const, text })),
  ];
  return (
    <>
      <DiffLines lines={lines} />
      {diff.more > 0 && <div className="second">and {diff.more} more lines</div>}
    </>
  );
}

const MOST = 10;

function Devices({ keys }: { keys: string[] }) {
  const [all, setAll] = useState(false);
  const shown = all ? keys.slice(0, 2000) : keys.slice(0, MOST);
  return (
    <span className="impact-devices">
      {shown.map((key) => (
        <Link key={key} className="mono" to={pathOf('device', key)} target="_blank">
          {key}
        </Link>
      ))}
      {keys.length > shown.length && (
        <Button size="small" type="link" disabled={all} onClick={() => setAll(true)}>
          and {(keys.length - shown.length).toLocaleString('en')} more
        </Button>
      )}
    </span>
  );
}

function Records({ records, count }: { records: ImpactRecord[]; count: number }) {
  return (
    <details className="panel impact-group">
      <summary>
        <b className="count">
          {count.toLocaleString('en')} {count === 1 ? 'record' : 'records'}
        </b>
        <span>renumbered, renamed, orphaned or taken along</span>
      </summary>
      <ul className="named">
        {records.slice(0, 100).map((record) => (
          <li key={`${record.kind} ${record.key} ${record.detail}`}>
            <b>{record.what}</b>{' '}
            <span className="second">{isKind(record.kind) ? inSentence(kindOf(record.kind).title) : record.kind}</span>{' '}
            <span className="mono">{record.key}</span> {record.detail}
          </li>
        ))}
        {count > 100 && <li className="second">and {count - Math.min(100, records.length)} more</li>}
      </ul>
    </details>
  );
}
