import { Button } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import type { LiveBehind } from '@zpine/contract/liveRoutes';
import { client, keys } from '../api.ts';
import { Ago } from '../look/Ago.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { pathOf } from '../records/paths.ts';
import { useMay } from '../session.tsx';

/** So many are shown; a selection narrows them on the command line. */
const MOST = 200;

/** Whose MACs hang on ports, where the cables of the records say otherwise or nothing. */
export function BehindPorts() {
  const attempt = useAttempt();
  const may = useMay('engineer');
  const found = useQuery({
    queryKey: keys.worked('behind', ''),
    queryFn: () => client.call('live.behind', { query: {} }),
  });
  const differ = (found.data?.items ?? []).filter(({ agrees }) => !agrees);
  if (differ.length === 0) return null;
  const take = ({ device, interface: on }: LiveBehind) =>
    void attempt(async () => {
      const { done } = await client.call('live.takeBehind', { body: { plugs: [{ device, interface: on }] } });
      return done.join('; ');
    });
  return (
    <>
      <h2 className="section-title">
        Who hangs on ports
        <span className="second">where few do, and the cables of the records say otherwise or nothing</span>
      </h2>
      <table className="plain-table">
        <thead>
          <tr>
            {['Device', 'Port', 'MAC', 'Whose, by the records', 'Cable to', 'Seen'].map((head) => (
              <th key={head}>{head}</th>
            ))}
            <th />
          </tr>
        </thead>
        <tbody>
          {differ.slice(0, MOST).map((one) => (
            <tr key={`${one.device} ${one.interface} ${one.mac}`}>
              <td className="mono">
                <Link to={pathOf('device', one.device)}>{one.device}</Link>
              </td>
              <td className="mono">{one.interface}</td>
              <td className="mono">{one.mac}</td>
              <td className="mono">{one.belongs ?? <span className="second">nobody's</span>}</td>
              <td className="mono">{one.recorded ?? <span className="second">none</span>}</td>
              <td className="second">
                <Ago at={one.seenAt} />
              </td>
              <td>
                {may && one.take !== null && (
                  <Button size="small" title={one.take} onClick={() => take(one)}>
                    {one.recorded === null ? 'Take it' : 'Correct'}
                  </Button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {differ.length > MOST && <p className="second">and {differ.length - MOST} more</p>}
    </>
  );
}
