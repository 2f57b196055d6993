import { Button, Input } from 'antd';
import { useState } from 'react';
import { Link } from 'react-router';
import { beforeAfter } from '@zpine/contract/beforeAfter';
import type { FileDrift } from '@zpine/contract/driftShapes';
import type { RunRow, ShownRun } from '@zpine/contract/fleetShapes';
import { client } from '../api.ts';
import { useAttempt } from '../look/attempt.tsx';
import { pathOf } from '../records/paths.ts';
import { useMay } from '../session.tsx';
import { FileDiffs } from './FileDiffs.tsx';
import { Outcome } from './Outcome.tsx';

type Step = NonNullable<RunRow['errand']>['steps'][number];

const signOf = (step: Step): string => (step.right ? '=' : step.away ? '−' : '+');

/** Devices to which the same would be done, together. */
interface Alike {
  steps: Step[];
  files: FileDrift[];
  rows: RunRow[];
}

function alike(rows: RunRow[]): Alike[] {
  const groups = new Map<string, Alike>();
  for (const row of rows) {
    const steps = row.errand?.steps ?? [];
    const files = row.errand?.files ?? [];
    const key = JSON.stringify([steps, files, row.errand?.warnings ?? [], row.outcome, row.errand ? '' : row.detail]);
    const group = groups.get(key) ?? { steps, files, rows: [] };
    group.rows.push(row);
    groups.set(key, group);
  }
  return [...groups.values()].sort((a, b) => b.rows.length - a.rows.length);
}

const sameDetail = (rows: RunRow[]): string =>
  rows.every(({ detail }) => detail === rows[0]?.detail) ? (rows[0]?.detail ?? '') : '';

/** What an errand would do, the confirmation by number, and what became of it. */
export function ErrandView({ run }: { run: ShownRun }) {
  return (
    <>
      {run.state === 'previewed' && <Confirm run={run} />}
      {alike(run.rows).map((group) => (
        <section className="panel group" key={group.rows[0]?.device} aria-label={`${group.rows.length} devices`}>
          <h2>
            {group.rows.length} device{group.rows.length === 1 ? '' : 's'}{' '}
            <Outcome of={group.rows[0]?.outcome ?? null} /> <span className="second">{sameDetail(group.rows)}</span>
          </h2>
          <div className="body">
            <p>
              {group.rows.slice(0, 20).map((row) => (
                <Link key={row.device} to={pathOf('device', row.device)} className="mono" style={{ marginRight: 10 }}>
                  {row.device}
                </Link>
              ))}
              {group.rows.length > 20 && <span className="second">and {group.rows.length - 20} more</span>}
            </p>
            <Steps steps={group.steps} />
            <FileDiffs files={group.files} />
            <Warnings all={group.rows[0]?.errand?.warnings ?? []} />
            {group.rows.some((row) => row.answers) && <Said rows={group.rows} />}
            <BeforeAndAfter rows={group.rows} />
            {group.rows.length <= 5 &&
              group.rows.map((row) => <Done key={row.device} row={row} named={group.rows.length > 1} />)}
          </div>
        </section>
      ))}
    </>
  );
}

/** What is odd about the lines. */
const Warnings = ({ all }: { all: readonly string[] }) =>
  all.length === 0 ? null : (
    <ul aria-label="Odd" style={{ color: 'var(--resin)' }}>
      {all.map((words) => (
        <li key={words}>{words}</li>
      ))}
    </ul>
  );

function Steps({ steps }: { steps: Step[] }) {
  return (
    <div className="mono errandsteps">
      {steps.map((step, i) => (
        <div key={i} className={step.right ? 'second' : step.away ? 'went' : 'came'}>
          <i>{signOf(step)}</i>
          {step.above.map((block) => (
            <span key={block} className="second">
              {block} ›{' '}
            </span>
          ))}
          {step.line}
          {step.right && <span className="second"> {step.away ? 'not there' : 'there already'}</span>}
          {step.instead !== null && <span className="second"> instead of {step.instead}</span>}
        </div>
      ))}
    </div>
  );
}

function Done({ row, named }: { row: RunRow; named: boolean }) {
  const { errand } = row;
  if (!errand || errand.sent.length === 0) return null;
  return (
    <details open={row.outcome !== 'brought over'}>
      <summary className="second">
        {named && <span className="mono">{row.device} </span>}
        what was sent{errand.kept ? `, ${errand.kept}` : ''}
      </summary>
      <div className="mono errandsteps">
        {errand.sent.map((one, i) => (
          <div key={i} className={one.refused === null ? '' : 'went'}>
            <i>›</i>
            {one.command}
            {one.refused !== null ? (
              <span> {one.refused}</span>
            ) : (
              one.said !== '' && <span className="second"> {one.said}</span>
            )}
          </div>
        ))}
      </div>
    </details>
  );
}

const namesOf = (devices: readonly string[]): string =>
  devices.length > 6 ? `${devices.slice(0, 5).join(', ')} and ${devices.length - 5} more` : devices.join(', ');

/** What questions were answered before and after, where that is not the same; equal differences together. */
const BeforeAndAfter = ({ rows }: { rows: readonly RunRow[] }) => (
  <>
    {beforeAfter(rows).map(({ question, devices, changes }) => (
      <div
        key={`${question} ${devices[0] ?? ''}`}
        className="mono errandsteps"
        aria-label={`${question}, before and after`}
      >
        <div className="second">
          {question}, before and after{changes.length === 0 ? ': the same' : ''}
          {rows.length > 1 && ` · ${namesOf(devices)}`}
        </div>
        {changes.map((line, i) => (
          <div key={i} className={line.startsWith('-') ? 'went' : 'came'}>
            <i>{line.startsWith('-') ? '−' : '+'}</i>
            {line.slice(1)}
          </div>
        ))}
      </div>
    ))}
  </>
);

/** What devices said to an operation. */
const Said = ({ rows }: { rows: readonly RunRow[] }) => (
  <div className="mono errandsteps">
    {rows.flatMap((row) =>
      (row.answers ?? []).map((answer, i) => (
        <div key={`${row.device} ${i}`} className={answer.refused === null ? '' : 'went'}>
          <i>›</i>
          {rows.length > 1 && <span className="second">{row.device} </span>}
          {answer.command}
          {answer.refused === null && answer.text.includes('\n') && <br />}
          <span className="second"> {answer.refused ?? answer.text}</span>
        </div>
      )),
    )}
  </div>
);

/** What an operation does, by its title: the button says it. */
const acts: Partial<Record<string, [verb: string, done: string]>> = {
  Restart: ['Restart', 'restarted'],
  Wipe: ['Wipe', 'wiped'],
};

/** The number of devices is typed: nobody changes forty by a click too many. */
function Confirm({ run }: { run: ShownRun }) {
  const attempt = useAttempt();
  const may = useMay('engineer');
  const [typed, setTyped] = useState('');
  if (!may) return null;
  const plural = run.toDo === 1 ? 'device' : 'devices';
  const [verb, done] =
    (run.kind === 'upgrade' ? ['Upgrade', 'brought to another version'] : undefined) ??
    acts[run.kind === 'operation' ? run.title : ''] ??
    (run.kind === 'operation' ? ['Tell', 'told so'] : ['Change', 'changed']);
  const go = () =>
    void attempt(async () => {
      await client.call('run.go', { params: { id: String(run.id) }, body: { count: Number(typed) } });
      return `${run.toDo} device${run.toDo === 1 ? ' is' : 's are'} being ${done}${run.sideBySide ? '' : ', one first'}`;
    });
  return (
    <section className="panel attention" aria-label="Confirm">
      <div className="body line">
        <span>
          <strong>
            {run.toDo} {plural} would be {done}.
          </strong>{' '}
          {run.sideBySide
            ? 'It changes nothing: all of them at once.'
            : 'One goes first, then five, then the others; the first that does not go well ends it.'}{' '}
          Type the number to go on.
        </span>
        <Input
          aria-label="Number of devices"
          className="mono"
          style={{ width: 90 }}
          inputMode="numeric"
          value={typed}
          onChange={(event) => setTyped(event.target.value.trim())}
          onPressEnter={() => typed === String(run.toDo) && go()}
        />
        <Button type="primary" disabled={typed !== String(run.toDo)} onClick={go}>
          {verb} {run.toDo} {plural}
        </Button>
      </div>
    </section>
  );
}
