import { Button, Modal } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { isKind, kindOf, type KindName } from '@zpine/contract/kinds';
import { client, problemOf, type AnyRecord } from '../api.ts';
import { Impact } from '../impact/Impact.tsx';
import { inSentence } from '../look/words.ts';
import { pathOf } from './paths.ts';

interface Props {
  kind: KindName;
  record: AnyRecord;
  onClose: () => void;
  onRemove: () => Promise<void>;
}

const MOST = 12;

/** Says first what would go, and what stands in the way. */
export function Removal({ kind, record, onClose, onRemove }: Props) {
  const title = inSentence(kindOf(kind).title);
  const told = useQuery({
    queryKey: ['removal', kind, record.id, record.version],
    queryFn: () => client.removal(kind, `#${record.id}`),
    staleTime: 0,
    gcTime: 0,
  });
  const seen = told.data;
  const blocked = (seen?.blocks.length ?? 0) > 0;
  const others = seen?.goes.slice(1) ?? [];
  return (
    <Modal
      open
      title={blocked ? `${record.key} cannot be removed yet` : `Remove ${title} ${record.key}?`}
      onCancel={onClose}
      footer={
        <>
          <Button onClick={onClose}>{blocked ? 'Close' : 'Keep it'}</Button>
          {!blocked && (
            <Button type="primary" danger disabled={!seen} onClick={() => void onRemove()}>
              Remove {seen && seen.count > 1 ? `all ${seen.count}` : ''}
            </Button>
          )}
        </>
      }
    >
      {told.isError && <div className="refused">{problemOf(told.error).detail}</div>}
      {seen?.blocks.map((block) => (
        <div key={block.detail} className="refused">
          {block.users.length > 0 ? (
            <>
              These refer to it:
              <Named list={block.users} onLeave={onClose} />
            </>
          ) : (
            block.detail
          )}
          {block.remedy && <div className="second">{block.remedy}</div>}
        </div>
      ))}
      {!blocked && others.length > 0 && (
        <>
          With it {seen && seen.count === 2 ? 'goes' : 'go'}:
          <Named list={others} all={(seen?.count ?? 1) - 1} onLeave={onClose} />
        </>
      )}
      {!blocked && (seen?.changes.length ?? 0) > 0 && (
        <>
          These stay, but are changed by it:
          <Named list={seen?.changes ?? []} onLeave={onClose} />
        </>
      )}
      {!blocked && seen && (
        <Impact write={(by) => by.remove(kind, `#${record.id}`, { version: record.version })} asked={record} />
      )}
      {!blocked && seen && <p className="second">The history keeps it, and it can be brought back from there.</p>}
    </Modal>
  );
}

function Named({
  list,
  all = list.length,
  onLeave,
}: {
  list: { kind: string; key: string }[];
  all?: number;
  onLeave: () => void;
}) {
  return (
    <ul className="named">
      {list.slice(0, MOST).map(({ kind, key }) => (
        <li key={`${kind} ${key}`}>
          <span className="second">
            {isKind(kind) ? inSentence(kindOf(kind).title) : kind === 'value' ? 'value of' : kind}
          </span>{' '}
          {isKind(kind) ? (
            <Link className="mono" to={pathOf(kind, key)} onClick={onLeave}>
              {key}
            </Link>
          ) : (
            <span className="mono">{key}</span>
          )}
        </li>
      ))}
      {all > MOST && <li className="second">and {all - MOST} more</li>}
    </ul>
  );
}
