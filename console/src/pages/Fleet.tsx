import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { countWords } from '@zpine/contract/runTables';
import { client, keys, problemOf } from '../api.ts';
import { Composer } from '../fleet/Composer.tsx';
import { FleetTabs } from '../fleet/FleetTabs.tsx';
import { Ago } from '../look/Ago.tsx';
import { Page } from '../look/Page.tsx';
import { useMay } from '../session.tsx';

/** The running fleet: begin a run, and what earlier ones came to. */
export default function Fleet() {
  const may = useMay('engineer');
  const runs = useQuery({
    queryKey: keys.worked('runs'),
    queryFn: () => client.call('run.list', { query: { limit: '50' } }),
  });
  const items = runs.data?.items ?? [];
  const working = items.filter((run) => run.state === 'working' || run.state === 'waiting').length;
  const waiting = items.filter((run) => run.state === 'previewed').length;
  const words = [working > 0 && `${working} under way`, waiting > 0 && `${waiting} waiting for confirmation`].filter(
    Boolean,
  );
  return (
    <Page
      title="Fleet"
      sentence={
        words.length > 0
          ? `${words.join(' · ')}.`
          : 'Reach devices, ask them, keep their configurations, send them some lines.'
      }
    >
      <FleetTabs here="fleet" />
      {may && <Composer />}
      {runs.isError && <div className="refused">{problemOf(runs.error).detail}</div>}
      {runs.data && items.length === 0 ? (
        <div className="panel">
          <div className="empty">
            <strong>No runs yet</strong>
            Say which devices, and reach them. Devices that nobody modelled come in by a pasted list: Devices, Import.
          </div>
        </div>
      ) : (
        <table className="plain-table">
          <thead>
            <tr>
              <th>Run</th>
              <th>What</th>
              <th>Devices</th>
              <th>State</th>
              <th>Result</th>
              <th>By</th>
              <th>When</th>
            </tr>
          </thead>
          <tbody>
            {items.map((run) => (
              <tr key={run.id}>
                <td className="mono">
                  <Link to={`/fleet/${run.id}`}>#{run.id}</Link>
                </td>
                <td>
                  {run.kind}{' '}
                  <span className="mono second">{run.kind === run.title.toLowerCase() ? '' : run.title}</span>
                </td>
                <td>
                  <span className="number">{run.expected}</span> <span className="mono second">{run.selection}</span>
                </td>
                <td>{run.state === 'previewed' ? 'waits for confirmation' : run.state}</td>
                <td>{countWords(run.counts) || (run.toDo > 0 ? `${run.toDo} to be changed` : '')}</td>
                <td className="second">{run.by}</td>
                <td className="second nowrap">
                  <Ago at={run.madeAt} />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </Page>
  );
}
