import { Button, Input, Select, Table } from 'antd';
import { useInfiniteQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import type { RemovedRecord } from '@zpine/contract/findingRoutes';
import type { Value } from '@zpine/contract/fields';
import { fieldsOf } from '@zpine/contract/kind';
import { isKind, kindNames, kindOf } from '@zpine/contract/kinds';
import { client, keys } from '../api.ts';
import { Ago } from '../look/Ago.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { Cell } from '../records/Cell.tsx';
import { pathOf } from '../records/paths.ts';
import { useMay } from '../session.tsx';

/** Records that are gone: as they were, and the way to bring them back. */
export function Removed() {
  const [kind, setKind] = useState<string>();
  const [text, setText] = useState('');
  const may = useMay('engineer');
  const attempt = useAttempt();
  const navigate = useNavigate();
  const query = { ...(kind ? { kind } : {}), ...(text ? { q: text } : {}), limit: 50 };
  const found = useInfiniteQuery({
    queryKey: keys.worked('removed', query),
    queryFn: ({ pageParam }) =>
      client.call('removed.list', { query: { ...query, ...(pageParam ? { after: pageParam } : {}) } }),
    initialPageParam: '',
    getNextPageParam: (page) => page.next ?? undefined,
  });
  const items = found.data?.pages.flatMap((page) => page.items) ?? [];
  const restore = (record: RemovedRecord) =>
    void attempt(async () => {
      const done = await client.call('removed.restore', { params: { kind: record.kind, ref: `#${record.id}` } });
      await navigate(pathOf(record.kind, record.key));
      return done.count > 1 ? `${record.key} is back, and ${done.count - 1} with it` : `${record.key} is back`;
    });
  return (
    <>
      <div className="filters">
        <Select
          allowClear
          aria-label="Kind of the removed"
          style={{ minWidth: 170 }}
          placeholder="any kind"
          value={kind}
          options={kindNames.map((name) => ({ value: name, label: kindOf(name).title }))}
          onChange={setKind}
        />
        <Input.Search
          className="mono"
          style={{ width: 220 }}
          allowClear
          placeholder="key holds"
          onSearch={(typed) => setText(typed.trim())}
        />
      </div>
      <Table<RemovedRecord>
        size="small"
        rowKey={(r) => `${r.kind} ${r.id}`}
        pagination={false}
        loading={found.isPending}
        dataSource={items}
        locale={{ emptyText: 'Nothing like that was removed' }}
        expandable={{ expandedRowRender: (record) => <Was record={record} /> }}
        columns={[
          { title: 'Kind', render: (_, r) => (isKind(r.kind) ? kindOf(r.kind).title : r.kind) },
          { title: 'Record', render: (_, r) => <span className="mono">{r.key}</span> },
          {
            title: 'Removed',
            render: (_, r) => (
              <>
                <Ago at={r.at} suffix=" ago" /> by {r.actor}
              </>
            ),
          },
          { title: 'Why', dataIndex: 'reason' },
          ...(may
            ? [
                {
                  title: '',
                  render: (_: unknown, r: RemovedRecord) => (
                    <Button size="small" onClick={() => restore(r)}>
                      Bring back
                    </Button>
                  ),
                },
              ]
            : []),
        ]}
      />
      {found.hasNextPage && (
        <div className="more">
          <Button loading={found.isFetchingNextPage} onClick={() => void found.fetchNextPage()}>
            Older
          </Button>
        </div>
      )}
    </>
  );
}

function Was({ record }: { record: RemovedRecord }) {
  if (!isKind(record.kind)) return null;
  const shown = fieldsOf(kindOf(record.kind)).filter(([name]) => (record.fields[name] ?? null) !== null);
  return (
    <dl className="facts">
      {shown.map(([name, field]) => (
        <div key={name} style={{ display: 'contents' }}>
          <dt>{field.title}</dt>
          <dd>
            <Cell name={name} field={field} value={record.fields[name] as Value} />
          </dd>
        </div>
      ))}
    </dl>
  );
}
