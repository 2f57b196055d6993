import { Button, Checkbox } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import type { AnyRecord } from '@zpine/contract/kind';
import { client, keys, problemOf } from '../api.ts';
import { WhereInput } from '../records/WhereInput.tsx';
import { useMay } from '../session.tsx';
import { BlankFields } from './Blanks.tsx';
import { faultWords } from './draft.ts';
import { TableInput } from './TableInput.tsx';

/** A routine is run: for which devices, and what stands in its blanks; all that is wrong with it is told. */
export default function RoutinePanel({ record }: { record: AnyRecord }) {
  const navigate = useNavigate();
  const may = useMay('engineer');
  const [where, setWhere] = useState('');
  const [values, setValues] = useState<Record<string, string>>({});
  const [table, setTable] = useState('');
  const [keep, setKeep] = useState(true);
  const [wrong, setWrong] = useState<string[]>([]);
  const [busy, setBusy] = useState(false);
  const blanks = useQuery({
    queryKey: keys.worked('routine-blanks', record.key, record.version),
    queryFn: () => client.call('routine.blanks', { params: { ref: record.key } }),
  });
  const isAsk = record.does === 'ask';
  const own = typeof record.devices === 'string' ? record.devices : '';
  const run = async () => {
    setBusy(true);
    setWrong([]);
    try {
      const given = Object.fromEntries(Object.entries(values).filter(([, value]) => value.trim() !== ''));
      const made = await client.call('routine.run', {
        params: { ref: record.key },
        body: {
          ...(where === '' ? {} : { where }),
          ...(table === '' ? {} : { perDevice: { text: table } }),
          blanks: given,
          keep,
        },
      });
      void navigate(`/fleet/${made.id}`);
    } catch (error) {
      setWrong(faultWords(problemOf(error)));
    } finally {
      setBusy(false);
    }
  };
  return (
    <>
      <section className="panel" aria-label="Text" style={{ marginTop: 14 }}>
        <h2>Text</h2>
        <div className="body">
          <pre className="mono filetext">{typeof record.source === 'string' ? record.source : ''}</pre>
        </div>
      </section>
      {may && (
        <section className="panel composer" aria-label="Run it" style={{ marginTop: 14 }}>
          <h2>
            Run it{' '}
            <span className="second">
              {isAsk ? 'nothing is changed' : 'first you see what would be new; nothing is sent before you confirm'}
            </span>
          </h2>
          <div className="body two">
            <div>
              <label htmlFor="routine-where">Which devices{own === '' ? '' : `, of those with ${own}`}</label>
              <WhereInput
                kind="device"
                ariaLabel="Which devices"
                placeholder={own === '' ? 'site=har duty=access' : 'left empty: all of them'}
                value={where}
                onChange={setWhere}
                wrong={false}
                width={320}
              />
              {!isAsk && (
                <Checkbox checked={keep} onChange={(event) => setKeep(event.target.checked)} style={{ marginTop: 8 }}>
                  Have the devices store what then runs
                </Checkbox>
              )}
            </div>
            <div>
              <BlankFields blanks={blanks.data?.items ?? []} values={values} onChange={setValues} />
              <TableInput value={table} onChange={setTable} wide />
            </div>
          </div>
          <div className="body">
            <Button type="primary" loading={busy} onClick={() => void run()}>
              {isAsk ? 'Ask' : 'Look at it'}
            </Button>
            {wrong.length > 0 && (
              <div className="refused" role="alert" style={{ marginTop: 10 }}>
                {wrong.map((words) => (
                  <div key={words}>{words}</div>
                ))}
              </div>
            )}
          </div>
        </section>
      )}
    </>
  );
}
