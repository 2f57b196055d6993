import { Button, Input, Select } from 'antd';
import { useInfiniteQuery } from '@tanstack/react-query';
import { useSearchParams } from 'react-router';
import { kindNames, kindOf } from '@zpine/contract/kinds';
import { client, keys } from '../api.ts';
import { Page } from '../look/Page.tsx';
import { ChangeSet } from '../records/ChangeSet.tsx';

export default function History() {
  const [params, setParams] = useSearchParams();
  const filters = Object.fromEntries(
    ['kind', 'actor'].flatMap((name) => (params.get(name) ? [[name, params.get(name) ?? '']] : [])),
  );
  const found = useInfiniteQuery({
    queryKey: keys.worked('history', filters),
    queryFn: ({ pageParam }) =>
      client.call('history.list', { query: { ...filters, limit: 40, ...(pageParam ? { after: pageParam } : {}) } }),
    initialPageParam: '',
    getNextPageParam: (page) => page.next ?? undefined,
  });
  const set = (name: string, value: string) => {
    const next = new URLSearchParams(params);
    if (value) next.set(name, value);
    else next.delete(name);
    setParams(next, { replace: true });
  };
  const sets = found.data?.pages.flatMap((page) => page.items) ?? [];
  return (
    <Page title="History" sentence="Who changed what, through what, and why; the newest first.">
      <div className="filters">
        <Select
          allowClear
          aria-label="Kind"
          style={{ minWidth: 170 }}
          placeholder="any kind"
          value={params.get('kind')}
          options={[
            ...kindNames.map((kind) => ({ value: kind as string, label: kindOf(kind).title })),
            { value: 'value', label: 'Value of a setting' },
            { value: 'edition', label: 'Edition' },
          ]}
          onChange={(kind: string | undefined) => set('kind', kind ?? '')}
        />
        <Input.Search
          className="mono"
          style={{ width: 200 }}
          allowClear
          placeholder="anybody"
          defaultValue={params.get('actor') ?? ''}
          onSearch={(actor) => set('actor', actor.trim())}
        />
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
    </Page>
  );
}
