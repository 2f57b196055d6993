import { useQuery } from '@tanstack/react-query';
import { Table } from 'antd';
import { severities } from '@zpine/core/signs/syslog';
import type { ReplyOf } from '@zpine/contract/routes';
import { client, keys, problemOf } from '../api.ts';
import { Ago } from '../look/Ago.tsx';

type Sign = ReplyOf<'sign.list'>['items'][number];

const words: Record<Sign['kind'], string> = { trap: 'Trap', log: 'Log line' };

/** What it said of itself unasked. */
export function SignsOfLife({ of }: { of: { device: string } | { prefix: string } }) {
  const found = useQuery({
    queryKey: keys.worked('signs', of),
    queryFn: () => client.call('sign.list', { query: { ...of, limit: '50' } }),
    refetchInterval: 15_000,
  });
  if (found.isError) return <div className="refused">{problemOf(found.error).detail}</div>;
  return (
    <>
      <h2 className="section-title">Signs of life</h2>
      <Table<Sign>
        size="small"
        rowKey="id"
        pagination={false}
        dataSource={found.data?.items ?? []}
        locale={{ emptyText: 'Neither a trap nor a log line of it came in the last seven days' }}
        columns={[
          { title: 'Last', width: 90, render: (_, one) => <Ago at={one.lastAt} suffix=" ago" /> },
          { title: 'Times', dataIndex: 'times', align: 'right', width: 70 },
          { title: 'What', width: 90, render: (_, one) => words[one.kind] },
          {
            title: 'How grave',
            width: 100,
            render: (_, one) => (one.severity === null ? '' : (severities[one.severity] ?? '')),
          },
          { title: 'Says', render: (_, one) => <span className="mono detail">{one.text}</span> },
        ]}
      />
    </>
  );
}
