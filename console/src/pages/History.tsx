import { Button, Input, Select, Tabs } from 'antd';
import { useInfiniteQuery } from '@tanstack/react-query';
import { useSearchParams } from 'react-router';
import { kindNames, kindOf } from '@zpine/contract/kinds';
import { client, keys } from '../api.ts';
import { Page } from '../look/Page.tsx';
import { ChangeSet } from '../records/ChangeSet.tsx';
import { Removed } from './Removed.tsx';

export default function History() {
  const [params, setParams] = useSearchParams();
  const gone = params.get('show') === 'removed';
  const set = (name: string, value: string) => {
    const next = new URLSearchParams(params);
    if (value) next.set(name, value);
    else next.delete(name);
    setParams(next, { replace: true });
  };
  return (
    <Page
      title="History"
      sentence={
        gone
          ? 'What was removed, the latest first: as it was, and the way to bring it back.'
          : 'Who changed what, through what, and why; the newest first.'
      }
    >
      <Tabs
        size="small"
        activeKey={gone ? 'removed' : 'changes'}
        items={[
          { key: 'changes', label: 'Changes' },
          { key: 'removed', label: 'Removed' },
        ]}
        onChange={(key) => setParams(key === 'removed' ? { show: 'removed' } : {}, { replace: true })}
        tabBarStyle={{ marginBottom: 12 }}
      />
      {gone ? <Removed /> : <Changes params={params} set={set} />}
    </Page>
  );
}

const filtered = ['kind', 'actor', 'via', 'since', 'until', 'q'];

function Changes({ params, set }: { params: URLSearchParams; set: (name: string, value: string) => void }) {
  const filters = Object.fromEntries(
    filtered.flatMap((name) => (params.get(name) ? [[name, params.get(name) ?? '']] : [])),
  );
  const found = useInfiniteQuery({
    queryKey: keys.worked('history', filters),
    queryFn: ({ pageParam }) =>
      client.call('history.list', { query: { ...filters, limit: 40, ...(pageParam ? { after: pageParam } : {}) } }),
    initialPageParam: '',
    getNextPageParam: (page) => page.next ?? undefined,
  });
  const sets = found.data?.pages.flatMap((page) => page.items) ?? [];
  return (
    <>
      <div className="filters">
        <Select
          allowClear
          aria-label="Kind"
          style={{ minWidth: 140 }}
          placeholder="any kind"
          value={params.get('kind')}
          options={[
            ...kindNames.map((kind) => ({ value: kind, label: kindOf(kind).title })),
            { value: 'value', label: 'Value of a setting' },
            { value: 'edition', label: 'Edition' },
          ]}
          onChange={(kind: string | undefined) => set('kind', kind ?? '')}
        />
        <Input.Search
          className="mono"
          style={{ width: 160 }}
          allowClear
          placeholder="anybody"
          defaultValue={params.get('actor') ?? ''}
          onSearch={(actor) => set('actor', actor.trim())}
        />
        <Select
          allowClear
          aria-label="Through"
          style={{ minWidth: 130 }}
          placeholder="through anything"
          value={params.get('via')}
          options={['console', 'cli', 'api', 'service'].map((via) => ({ value: via, label: via }))}
          onChange={(via: string | undefined) => set('via', via ?? '')}
        />
        <Input.Search
          style={{ width: 190 }}
          allowClear
          placeholder="reason or key holds"
          defaultValue={params.get('q') ?? ''}
          onSearch={(q) => set('q', q.trim())}
        />
        <label className="second">
          since{' '}
          <input
            type="date"
            className="day"
            value={params.get('since') ?? ''}
            onChange={(event) => set('since', event.target.value)}
          />
        </label>
        <label className="second">
          before{' '}
          <input
            type="date"
            className="day"
            value={params.get('until') ?? ''}
            onChange={(event) => set('until', event.target.value)}
          />
        </label>
      </div>
      <div className="panel">
        {sets.map((one) => (
          <ChangeSet key={one.id} set={one} />
        ))}
        {found.isSuccess && sets.length === 0 && <div className="empty">Nothing was changed yet.</div>}
      </div>
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
