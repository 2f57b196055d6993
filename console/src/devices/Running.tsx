import { Button } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { Link, useNavigate } from 'react-router';
import { countWords } from '@zpine/contract/runTables';
import { client, keys } from '../api.ts';
import { Ago } from '../look/Ago.tsx';
import { CheckResults } from '../fleet/CheckResults.tsx';
import { DriftPanel } from './DriftPanel.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { CaptureList } from '../pages/Captures.tsx';
import { useMay } from '../session.tsx';

/** The device as it runs: what was captured of it, what was done with it, and how it is watched. */
export function Running({ device }: { device: string }) {
  const attempt = useAttempt();
  const navigate = useNavigate();
  const may = useMay('engineer');
  const runs = useQuery({
    queryKey: keys.worked('runs', device),
    queryFn: () => client.call('run.list', { query: { device, limit: '20' } }),
  });
  const begin = (kind: 'run.reach' | 'run.capture') =>
    void attempt(async () => {
      const { id } = await client.call(kind, { body: { devices: [device] } });
      void navigate(`/fleet/${id}`);
      return `${device} is being ${kind === 'run.reach' ? 'reached' : 'captured'}`;
    });
  const judge = () =>
    void attempt(async () => {
      const { id } = await client.call('run.check', { body: { devices: [device] } });
      void navigate(`/fleet/${id}`);
      return `the checks for ${device} are being judged`;
    });
  const operate = (operation: 'restart' | 'wipe') =>
    void attempt(async () => {
      const { id } = await client.call('run.operation', { body: { devices: [device], operation } });
      void navigate(`/fleet/${id}`);
      return 'nothing is done before you confirm';
    });
  const where = encodeURIComponent(`name=${device}`);
  return (
    <>
      {may && (
        <div className="toolbar">
          <Button onClick={() => begin('run.reach')}>Reach it</Button>
          <Button onClick={() => begin('run.capture')}>Capture it</Button>
          <Button onClick={judge}>Check it</Button>
          <Link to={`/fleet?do=ask&where=${where}`}>
            <Button>Ask it …</Button>
          </Link>
          <Link to={`/fleet?do=errand&where=${where}`}>
            <Button>Errand …</Button>
          </Link>
          <Link to={`/fleet?do=operation&where=${where}`}>
            <Button>Operate …</Button>
          </Link>
          <Button onClick={() => operate('restart')}>Restart …</Button>
          <Button onClick={() => operate('wipe')}>Wipe …</Button>
        </div>
      )}
      <DriftPanel device={device} />
      <h2 className="section-title">Checks</h2>
      <CheckResults of={{ device }} />
      <h2 className="section-title">Captured</h2>
      <CaptureList query={{ device, limit: '30' }} />
      <h2 className="section-title">Runs</h2>
      {runs.data?.items.length === 0 && <p className="second">None yet.</p>}
      {(runs.data?.items.length ?? 0) > 0 && (
        <table className="plain-table">
          <tbody>
            {runs.data?.items.map((run) => (
              <tr key={run.id}>
                <td className="mono">
                  <Link to={`/fleet/${run.id}`}>#{run.id}</Link>
                </td>
                <td>
                  {run.kind} <span className="mono second">{run.title}</span>
                </td>
                <td>{countWords(run.counts)}</td>
                <td className="second">{run.by}</td>
                <td className="second">
                  <Ago at={run.madeAt} />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}
