import { useQuery } from '@tanstack/react-query';
import { type KindName } from '@zpine/contract/kinds';
import { client, keys } from '../api.ts';
import { ChangeSet } from './ChangeSet.tsx';

export function RecordHistory({ kind, id }: { kind: KindName; id: number }) {
  const query = { kind, record: `#${id}`, limit: 8 };
  const found = useQuery({
    queryKey: keys.worked('history', query),
    queryFn: () => client.call('history.list', { query }),
  });
  return (
    <section className="panel" aria-label="History">
      <h2>History</h2>
      {(found.data?.items ?? []).map((set) => (
        <ChangeSet key={set.id} set={set} only={{ kind, id }} />
      ))}
      {found.data?.items.length === 0 && (
        <div className="body second">It has not changed since it came with the service.</div>
      )}
    </section>
  );
}
