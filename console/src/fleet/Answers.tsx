import { Button, Segmented } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { expectationWords, missWords } from '@zpine/core/fleet/expectations';
import type { ShownRun } from '@zpine/contract/fleetShapes';
import { cellsToCsv } from '@zpine/contract/csv';
import { answerTable, fieldNames, runTable } from '@zpine/contract/runTables';
import { client, keys } from '../api.ts';
import { DiffLines } from './DiffLines.tsx';
import { Outcome } from './Outcome.tsx';

type View = 'fields' | 'groups' | 'texts';

/** The answers of an ask: fields as columns, equal ones together, or each as it came. */
export function Answers({ run }: { run: ShownRun }) {
  const hasFields = fieldNames(run.rows).length > 0;
  const [chosen, setView] = useState<View>();
  const view = chosen ?? (hasFields ? 'fields' : 'groups');
  const options = [
    ...(hasFields ? [{ value: 'fields' as const, label: 'Fields' }] : []),
    { value: 'groups' as const, label: 'Equal answers together' },
    { value: 'texts' as const, label: 'Each as it came' },
  ];
  return (
    <>
      <div className="toolbar">
        <Segmented<View> aria-label="How answers are shown" options={options} value={view} onChange={setView} />
        <span className="spacer" />
        <Save run={run} />
      </div>
      <Expectations run={run} />
      {view === 'fields' && <Fields run={run} />}
      {view === 'groups' && <Groups run={run} />}
      {view === 'texts' && <Texts id={run.id} run={run} />}
    </>
  );
}

export function Save({ run }: { run: ShownRun }) {
  const save = async () => {
    // With whole texts, which lists leave out.
    const whole = await client.call('run.show', { params: { id: String(run.id) }, query: { text: 'true' } });
    const link = document.createElement('a');
    link.href = URL.createObjectURL(new Blob([csvOf(whole)], { type: 'text/csv' }));
    link.download = `run-${run.id}.csv`;
    link.click();
    URL.revokeObjectURL(link.href);
  };
  return <Button onClick={() => void save()}>Download CSV</Button>;
}

function csvOf(run: ShownRun): string {
  const { heads, rows } = runTable(run);
  return cellsToCsv(heads, rows);
}

function Expectations({ run }: { run: ShownRun }) {
  if (run.expect.length === 0) return null;
  const asked = run.rows.filter((row) => row.answers);
  const failing = asked.filter((row) => row.answers?.some((one) => one.missed.length > 0));
  return (
    <section className="panel" aria-label="Expectations" style={{ marginBottom: 14 }}>
      <h2>
        {asked.length - failing.length} of {asked.length} answers are as expected{' '}
        <span className="second">{run.expect.map(expectationWords).join(' · ')}</span>
      </h2>
      {failing.length > 0 && (
        <div className="body">
          {failing.map((row) => (
            <div key={row.device}>
              <span style={{ color: 'var(--berry)' }}>✕</span> <span className="mono">{row.device}</span>{' '}
              <span className="second">
                {[...new Set(row.answers?.flatMap((one) => one.missed.map(missWords)))].join(', ')}
              </span>
            </div>
          ))}
        </div>
      )}
    </section>
  );
}

function Fields({ run }: { run: ShownRun }) {
  const { heads, rows } = answerTable(run);
  return (
    <table className="plain-table">
      <thead>
        <tr>
          {heads.map((head) => (
            <th key={head}>{head}</th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.map((cells, i) => (
          <tr key={i}>
            {cells.map((cell, j) => (
              <td key={j} className={j === cells.length - 1 ? 'second' : 'mono'}>
                {j === 0 && cells[0] === rows[i - 1]?.[0] ? '' : cell}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const SHOWN_LINES = 60;

function Groups({ run }: { run: ShownRun }) {
  const found = useQuery({
    queryKey: keys.worked('groups', run.id, run.done),
    queryFn: () => client.call('run.groups', { params: { id: String(run.id) } }),
    placeholderData: (before) => before,
  });
  const silent = run.rows.filter((row) => row.state === 'done' && row.outcome !== 'answered');
  return (
    <>
      {found.data?.items.map(({ ask, words, groups }) => (
        <section className="panel group" key={ask} aria-label={`Answers to ${ask}`}>
          <h2>
            <span className="mono">{ask}</span> <span className="second">{words}</span>
          </h2>
          {groups.map((group, i) => (
            <div className="body" key={i}>
              <p>
                <strong>
                  {group.devices.length} {i === 0 ? (groups.length > 1 ? 'alike' : '') : 'otherwise'}
                </strong>{' '}
                <span className="mono second">{group.devices.slice(0, 12).join(' ')}</span>
                {group.devices.length > 12 && <span className="second"> and {group.devices.length - 12} more</span>}
              </p>
              {i === 0 ? (
                <pre className="mono filetext">
                  {group.text.split('\n').slice(0, SHOWN_LINES).join('\n') || '(nothing)'}
                </pre>
              ) : (
                <DiffLines
                  lines={group.diff.map((line) => ({ sign: (line[0] ?? ' ') as ' ' | '+' | '-', text: line.slice(1) }))}
                />
              )}
            </div>
          ))}
        </section>
      ))}
      {silent.length > 0 && (
        <section className="panel" aria-label="No answer">
          <h2>No answer</h2>
          <div className="body">
            {silent.map((row) => (
              <div key={row.device}>
                <span className="mono">{row.device}</span> <Outcome of={row.outcome} />{' '}
                <span className="second">{row.detail}</span>
              </div>
            ))}
          </div>
        </section>
      )}
    </>
  );
}

function Texts({ id, run }: { id: number; run: ShownRun }) {
  const [device, setDevice] = useState(run.rows[0]?.device ?? '');
  const row = useQuery({
    queryKey: keys.worked('runrow', id, device),
    queryFn: () => client.call('run.row', { params: { id: String(id), device } }),
    enabled: device !== '',
  });
  return (
    <div className="columns byname">
      <nav aria-label="Devices" className="panel">
        {run.rows.map((one) => (
          <button
            type="button"
            key={one.device}
            className={one.device === device ? 'here mono' : 'mono'}
            onClick={() => setDevice(one.device)}
          >
            {one.device}
          </button>
        ))}
      </nav>
      <div>
        {row.data?.answers?.map((answer) => (
          <section className="panel group" key={answer.ask} aria-label={answer.ask}>
            <h2>
              <span className="mono">{answer.command || answer.ask}</span>
              {answer.cut && <span className="second"> only the beginning was read</span>}
            </h2>
            <pre className="mono filetext">
              {answer.refused === null ? answer.text : `not taken: ${answer.refused}`}
            </pre>
          </section>
        ))}
        {row.data && !row.data.answers && <p className="second">{row.data.detail}</p>}
      </div>
    </div>
  );
}
