import { Button, Checkbox, Modal } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { useState } from 'react';
import { isKind, kindOf, referrersOf, type KindName } from '@zpine/contract/kinds';
import { client, problemOf } from '../api.ts';
import { Impact } from '../impact/Impact.tsx';
import { extrasOf } from '../kinds/registry.ts';
import { useAttempt } from '../look/attempt.tsx';
import { inSentence } from '../look/words.ts';
import { pathOf } from './paths.ts';

interface Props {
  kind: KindName;
  /** One record, or many: those that were ticked, or all of a selection. */
  which: { refs: string[] } | { where: string };
  /** What it is called: a key, or a count. */
  title: string;
  onClose: () => void;
  /** Does what was looked at, and says what it did. */
  onRemoved: () => void;
}

const MOST = 12;

/** Kinds that others lie in. */
const holds = (kind: KindName): boolean =>
  referrersOf(kind).some(([other, field]) => {
    const { inside, letsGo } = kindOf(other).fields[field] ?? {};
    return inside === true || letsGo === true;
  });

/** Says first what would go, and what stands in the way. */
export function Removal({ kind, which, title, onClose, onRemoved }: Props) {
  const attempt = useAttempt();
  const [contents, setContents] = useState(false);
  const body = { ...which, contents };
  const told = useQuery({
    queryKey: ['removal', kind, body],
    queryFn: () => client.removeMany(kind, body),
    staleTime: 0,
    gcTime: 0,
  });
  const seen = told.data;
  const blocked = (seen?.blocks.length ?? 0) > 0;
  const others = seen?.goes.slice(seen.chosen) ?? [];
  const along = (seen?.count ?? 0) - (seen?.chosen ?? 0);
  const send = (by = client) => by.removeMany(kind, { ...body, expect: seen?.count, apply: true });
  const remove = async () => {
    const done = await attempt(async () => {
      const { applied, count, blocks } = await send();
      if (!applied) throw new Error(blocks[0]?.detail ?? 'something changed meanwhile');
      return `${count} ${count === 1 ? 'record' : 'records'} removed`;
    });
    if (done) onRemoved();
  };
  return (
    <Modal
      open
      title={blocked ? `${title} cannot be removed yet` : `Remove ${title}?`}
      onCancel={onClose}
      footer={
        <>
          <Button onClick={onClose}>{blocked ? 'Close' : 'Keep'}</Button>
          {!blocked && (
            <Button type="primary" danger disabled={!seen || seen.count === 0} onClick={() => void remove()}>
              Remove {seen && seen.count > 1 ? `all ${seen.count}` : ''}
            </Button>
          )}
        </>
      }
    >
      {told.isError && <div className="refused">{problemOf(told.error).detail}</div>}
      {holds(kind) && (
        <Checkbox checked={contents} onChange={({ target }) => setContents(target.checked)}>
          {extrasOf(kind).contents ?? 'With everything in it; boxes go to stock'}
        </Checkbox>
      )}
      {seen?.blocks.map((block) => (
        <div key={block.detail} className="refused">
          {block.users.length > 0 ? (
            <>
              Something that stays refers to it:
              <Named list={block.users} onLeave={onClose} />
            </>
          ) : (
            block.detail
          )}
          {block.remedy && <div className="second">{block.remedy}</div>}
        </div>
      ))}
      {!blocked && seen && seen.chosen > 1 && (
        <Named list={seen.goes.slice(0, seen.chosen)} all={seen.chosen} onLeave={onClose} />
      )}
      {!blocked && along > 0 && (
        <div>
          With {seen?.chosen === 1 ? 'it' : 'them'} {along === 1 ? 'goes' : 'go'}:
          <Named list={others} all={along} onLeave={onClose} />
        </div>
      )}
      {!blocked && (seen?.changes.length ?? 0) > 0 && (
        <>
          These stay, but are changed by it:
          <Named list={seen?.changes ?? []} onLeave={onClose} />
        </>
      )}
      {!blocked && seen && seen.count > 0 && <Impact write={send} asked={body} />}
      {!blocked && seen && <p className="second">The history keeps it, and it can be undone from there.</p>}
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
