import { Button } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { Link, useSearchParams } from 'react-router';
import { doubtNames } from '@zpine/contract/matters';
import { client, keys, problemOf } from '../api.ts';
import { Page } from '../look/Page.tsx';
import { pathOf } from '../records/paths.ts';

/** What the records themselves make doubtful: each with its remedy. */
export default function Doctor() {
  const [params, setParams] = useSearchParams();
  const only = doubtNames.find((name) => name === params.get('only'));
  const query = { ...(only ? { only, limit: '1000' } : { limit: '8' }) };
  const found = useQuery({
    queryKey: keys.worked('doctor', query),
    queryFn: () => client.call('doctor.data', { query }),
    placeholderData: (before) => before,
  });
  const items = found.data?.items.filter((one) => one.count > 0) ?? [];
  return (
    <Page
      title="Doubts"
      sentence={
        found.data &&
        (found.data.count === 0
          ? 'Nothing in the records is doubtful.'
          : `${found.data.count} thing${found.data.count === 1 ? '' : 's'} in the records ${found.data.count === 1 ? 'is' : 'are'} doubtful, each with its remedy.`)
      }
      crumbs={[
        ['Today', '/'],
        ['Doubts', undefined],
      ]}
      actions={only && <Button onClick={() => setParams({})}>All of it</Button>}
    >
      {found.isError && <div className="refused">{problemOf(found.error).detail}</div>}
      {items.map(({ doubt, title, count, rows }) => (
        <section key={doubt} aria-label={title} style={{ marginBottom: 16 }}>
          <h2 className="section-title">
            {title} <span className="second">{count}</span>
          </h2>
          <table className="plain-table">
            <tbody>
              {rows.map((row) => (
                <tr key={row.key}>
                  <td className="mono" style={{ width: 210 }}>
                    <Link to={pathOf(row.kind, row.key)}>{row.key}</Link>
                  </td>
                  <td>{row.detail}</td>
                  <td className="mono second" style={{ width: '38%' }}>
                    {row.remedy}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          {count > rows.length && (
            <Button type="link" onClick={() => setParams({ only: doubt })}>
              and {count - rows.length} more
            </Button>
          )}
        </section>
      ))}
    </Page>
  );
}
