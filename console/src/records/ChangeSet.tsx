import { App, Button, Modal } from 'antd';
import { useState } from 'react';
import { Link } from 'react-router';
import { isKind, kindOf } from '@zpine/contract/kinds';
import type { ReplyOf } from '@zpine/contract/routes';
import { client, problemOf } from '../api.ts';
import { Impact } from '../impact/Impact.tsx';
import { Ago } from '../look/Ago.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { useMay } from '../session.tsx';
import { pathOf } from './paths.ts';

type Set = ReplyOf<'history.list'>['items'][number];
type Change = Set['changes'][number];
type Undone = ReplyOf<'history.undo'>;

const plain = (value: unknown): boolean => typeof value === 'string' || typeof value === 'number';

const text = (value: unknown): string => {
  if (value === null || value === undefined) return 'empty';
  if (Array.isArray(value) && value.every(plain)) return value.join(', ');
  return typeof value === 'string' ? value : JSON.stringify(value);
};

/** One change set: who, through what, why, and what was before and after. `only` leaves out other records. */
export function ChangeSet({ set, only }: { set: Set; only?: { kind: string; id: number } }) {
  const changes = only ? set.changes.filter((c) => c.kind === only.kind && c.id === only.id) : set.changes.slice(0, 6);
  const rest = only ? 0 : set.count - changes.length;
  return (
    <div className="set">
      <div className="line">
        <strong>{set.actor}</strong>
        <span className="second">by {set.via}</span>
        {set.reason && !only && <span>“{set.reason}”</span>}
        {set.undoes !== null && <span className="second">undoes #{set.undoes}</span>}
        {set.undoneBy !== null && <span className="second">undone by #{set.undoneBy}</span>}
        {!only && <Undo set={set} />}
        <span className="when">
          <Ago at={set.at} suffix=" ago" />
        </span>
      </div>
      {set.reason && only && <div className="why">“{set.reason}”</div>}
      <ul>
        {changes.map((change) => (
          <ChangeLine key={`${change.kind} ${change.id}`} change={change} short={only !== undefined} />
        ))}
        {rest > 0 && <li className="second">and {rest} more</li>}
      </ul>
    </div>
  );
}

/** Takes the whole set back; what would come of it is asked first. */
function Undo({ set }: { set: Set }) {
  const attempt = useAttempt();
  const { message } = App.useApp();
  const may = useMay('engineer');
  const [seen, setSeen] = useState<Undone>();
  // What the service saw is not a person's to take back.
  if (!may || set.undoneBy !== null || set.via === 'service') return null;
  const params = { id: String(set.id) };
  const send = (by = client) => by.call('history.undo', { params, body: {} });
  const ask = async () => {
    try {
      setSeen(await client.call('history.undo', { params, body: { apply: false } }));
    } catch (error) {
      const { detail, remedy } = problemOf(error);
      void message.error({ content: remedy ? `${detail}. ${remedy}` : detail, duration: 8 });
    }
  };
  const takeBack = () =>
    attempt(async () => {
      await send();
      return `change set #${set.id} is undone`;
    }).then((done) => done && setSeen(undefined));
  const items = seen?.items.slice(0, 8) ?? [];
  return (
    <>
      <Button size="small" className="undo" onClick={() => void ask()}>
        Undo
      </Button>
      {seen && (
        <Modal
          open
          title={`Undo change set #${set.id}?`}
          okText="Undo"
          onOk={takeBack}
          onCancel={() => setSeen(undefined)}
        >
          <ul className="named">
            {items.map((item) => (
              <li key={`${item.action} ${item.kind} ${item.key}`}>
                {item.action} {item.kind} <span className="mono">{item.key}</span>
              </li>
            ))}
            {seen.count > items.length && <li className="second">and {seen.count - items.length} more</li>}
          </ul>
          <Impact write={send} asked={set.id} />
        </Modal>
      )}
    </>
  );
}

function ChangeLine({ change, short }: { change: Change; short: boolean }) {
  const { before, after, kind, key } = change;
  const verb = before ? (after ? 'edited' : 'removed') : 'added';
  const fields = isKind(kind) ? kindOf(kind).fields : {};
  const changed =
    before && after
      ? Object.keys(after).filter((name) => JSON.stringify(before[name]) !== JSON.stringify(after[name]))
      : [];
  return (
    <li>
      <span className="verb">{verb}</span>
      <span>
        {!short && (
          <>
            <span className="second">{isKind(kind) ? kindOf(kind).title : kind}</span>{' '}
            {after && isKind(kind) ? (
              <Link className="mono" to={pathOf(kind, key)}>
                {key}
              </Link>
            ) : (
              <span className="mono">{key}</span>
            )}{' '}
          </>
        )}
        {changed.map((name, i) => (
          <span key={name}>
            {i > 0 && ', '}
            {fields[name]?.title ?? name}{' '}
            {before?.[name] !== null && <span className="mono before">{text(before?.[name])}</span>}{' '}
            <span className="mono after">{text(after?.[name])}</span>
          </span>
        ))}
      </span>
    </li>
  );
}
