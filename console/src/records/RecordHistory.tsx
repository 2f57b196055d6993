import { useQuery } from '@tanstack/react-query';
import type { KindName } from '@zpine/contract/kinds';
import { client, keys } from '../api.ts';
import { extrasOf } from '../kinds/registry.ts';
import { ChangeSet } from './ChangeSet.tsx';

export function RecordHistory({ kind, id }: { kind: KindName; id: number }) {
  const only = { kind, id };
  return <HistoryPanel title="History" query={{ kind, record: `#${id}`, limit: 8 }} only={only} />;
}

interface PanelProps {
  title: string;
  query: { kind?: KindName; record?: string; setting?: string; limit: number };
  only?: { kind: string; id: number };
}

export function HistoryPanel({ title, query, only }: PanelProps) {
  const { kind } = query;
  const found = useQuery({
    queryKey: keys.worked('history', query),
    queryFn: () => client.call('history.list', { query }),
  });
  return (
    <section className="panel" aria-label={title}>
      <h2>{title}</h2>
      {(found.data?.items ?? []).map((set) => (
        <ChangeSet key={set.id} set={set} {...(only ? { only } : {})} />
      ))}
      {found.data?.items.length === 0 && (
        <div className="body second">
          {(kind && extrasOf(kind).unchanged) ?? 'It has not changed since it came with the service.'}
        </div>
      )}
    </section>
  );
}
