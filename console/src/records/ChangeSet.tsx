import { Link } from 'react-router';
import { isKind, kindOf } from '@zpine/contract/kinds';
import { type ReplyOf } from '@zpine/contract/routes';
import { Ago } from '../look/Ago.tsx';
import { pathOf } from './paths.ts';

type Set = ReplyOf<'history.list'>['items'][number];
type Change = Set['changes'][number];

const text = (value: unknown): string =>
  value === null || value === undefined ? 'empty' : typeof value === 'string' ? value : JSON.stringify(value);

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
