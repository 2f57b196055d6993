import { Button } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import type { ShownRun } from '@zpine/contract/fleetShapes';
import { client, keys } from '../api.ts';
import { useAttempt } from '../look/attempt.tsx';
import { pathOf } from '../records/paths.ts';

/** What reached devices said of themselves and the records lack: looked at, and taken at a word. */
export function MetTake({ run }: { run: ShownRun }) {
  const attempt = useAttempt();
  const params = { id: String(run.id) };
  const could = useQuery({
    queryKey: keys.worked('met', run.id),
    queryFn: () => client.call('run.take', { params, body: { apply: false } }),
    enabled: run.state === 'ended',
  });
  const items = could.data?.items ?? [];
  if (items.length === 0) return null;
  const taking = items.filter(({ changes }) => changes.length > 0).length;
  const take = () =>
    void attempt(async () => {
      await client.call('run.take', { params, body: { apply: true } });
      return `taken into the records of ${taking} device${taking === 1 ? '' : 's'}`;
    });
  return (
    <>
      <h2 className="section-title">
        What they say of themselves
        <span className="second">beside the records</span>
        {taking > 0 && (
          <Button size="small" type="primary" onClick={take} style={{ marginLeft: 12 }}>
            Take into the records of {taking}
          </Button>
        )}
      </h2>
      <table className="plain-table">
        <thead>
          <tr>
            <th>Device</th>
            <th>Would be</th>
            <th>Left as it is</th>
          </tr>
        </thead>
        <tbody>
          {items.map(({ device, changes, left }) => (
            <tr key={device}>
              <td className="mono">
                <Link to={pathOf('device', device)}>{device}</Link>
              </td>
              <td>
                {changes.map(({ field, from, to }) => (
                  <div key={field}>
                    {field} <span className="mono">{from === null ? to : `${from} → ${to}`}</span>
                  </div>
                ))}
              </td>
              <td className="second">{left.join('; ')}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
