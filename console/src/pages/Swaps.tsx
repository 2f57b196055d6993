import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { span } from '@zpine/core/text/span';
import { client, keys, problemOf } from '../api.ts';
import { Ago } from '../look/Ago.tsx';
import { Page } from '../look/Page.tsx';
import { pathOf } from '../records/paths.ts';

/** Swaps under way, and those of the past with their reports. */
export default function Swaps() {
  const swaps = useQuery({
    queryKey: keys.worked('swaps'),
    queryFn: () => client.call('swap.list', { query: { limit: '100' } }),
    refetchInterval: 10_000,
  });
  const items = swaps.data?.items ?? [];
  const open = items.filter(({ closedAt }) => closedAt === null).length;
  return (
    <Page
      title="Swaps"
      sentence={
        swaps.data
          ? open > 0
            ? `${open} under way.`
            : 'None is under way. One is begun on the page of a device, or with zpine swap start.'
          : ''
      }
    >
      {swaps.isError && <div className="refused">{problemOf(swaps.error).detail}</div>}
      {items.length > 0 && (
        <div className="panel">
          <table className="plain">
            <thead>
              <tr>
                <th>Device</th>
                <th>State</th>
                <th>Old box</th>
                <th>New box</th>
                <th>Cables</th>
                <th>Not as before</th>
                <th>Down</th>
                <th>Begun</th>
              </tr>
            </thead>
            <tbody>
              {items.map((swap) => (
                <tr key={swap.id}>
                  <td>
                    <Link className="mono" to={`/swaps/${swap.id}`}>
                      {swap.device}
                    </Link>
                  </td>
                  <td>{swap.state}</td>
                  <td className="mono">
                    <Link to={pathOf('box', swap.oldBox.toLowerCase())}>{swap.oldBox}</Link>
                  </td>
                  <td className="mono">{swap.newBox ?? ''}</td>
                  <td className="number">
                    {swap.ticked} of {swap.cables}
                  </td>
                  <td className="number">{swap.findings ?? ''}</td>
                  <td className="number">
                    {swap.downSeconds === null ? '' : `${swap.downIsLeast ? 'at least ' : ''}${span(swap.downSeconds)}`}
                  </td>
                  <td>
                    <Ago at={swap.startedAt} suffix=" ago" /> by {swap.startedBy}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </Page>
  );
}
