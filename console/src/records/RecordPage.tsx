import { useQuery } from '@tanstack/react-query';
import { Suspense, type ReactNode } from 'react';
import { Link } from 'react-router';
import { type AnyRecord, fieldsOf } from '@zpine/contract/kind';
import { kindOf, referrersOf, type KindName } from '@zpine/contract/kinds';
import { client, keys } from '../api.ts';
import { Page } from '../look/Page.tsx';
import { extrasOf } from '../kinds/registry.ts';
import { Cell } from './Cell.tsx';
import { listPath, pathOf } from './paths.ts';
import { RecordActions } from './RecordActions.tsx';
import { RecordHistory } from './RecordHistory.tsx';
import { Refused } from './Refused.tsx';
import { crumbsOf, sentenceOf } from './words.ts';

/** A record of a kind that has no page of its own: its fields, what refers to it, its history. */
export default function RecordPage({ kind, recordKey }: { kind: KindName; recordKey: string }) {
  const k = kindOf(kind);
  const found = useQuery({ queryKey: keys.record(kind, recordKey), queryFn: () => client.show(kind, recordKey) });
  if (found.isError) return <Refused title={k.title} error={found.error} back={listPath(kind)} />;
  if (!found.data) return <Page title={recordKey} mono children={null} />;
  const record = found.data as AnyRecord;
  const { actions: Actions, beside: Beside, primary: Primary } = extrasOf(kind);
  return (
    <Page
      title={typeof record.title === 'string' ? record.title : record.key}
      mono={typeof record.title !== 'string'}
      sentence={sentenceOf(kind, record)}
      crumbs={crumbsOf(kind, record)}
      actions={
        <Suspense fallback={null}>
          {Actions && <Actions record={record} />}
          <RecordActions kind={kind} record={record} primary={Primary && <Primary record={record} />} />
        </Suspense>
      }
    >
      <div className="columns">
        <div>
          <div className="panel">
            <div className="body">
              <Facts kind={kind} record={record} />
            </div>
          </div>
          <Suspense fallback={null}>{Beside && <Beside record={record} />}</Suspense>
          {referrersOf(kind).map(([other, field]) => (
            <Referrers key={`${other} ${field}`} kind={other} field={field} recordKey={record.key} />
          ))}
        </div>
        <RecordHistory kind={kind} id={record.id} />
      </div>
    </Page>
  );
}

export function Facts({ kind, record, children }: { kind: KindName; record: AnyRecord; children?: ReactNode }) {
  const shown = fieldsOf(kindOf(kind)).filter(
    ([name, field]) => !field.nested && field.type !== 'source' && record[name] !== null && record[name] !== undefined,
  );
  return (
    <dl className="facts">
      {shown.map(([name, field]) => (
        <Fact key={name} title={field.title}>
          <Cell name={name} field={field} value={record[name] ?? null} />
        </Fact>
      ))}
      {children}
    </dl>
  );
}

const Fact = ({ title, children }: { title: string; children: ReactNode }) => (
  <>
    <dt>{title}</dt>
    <dd>{children}</dd>
  </>
);

const SHOWN = 12;

/** What refers to this record, by one field of one kind. */
function Referrers({ kind, field, recordKey }: { kind: KindName; field: string; recordKey: string }) {
  const k = kindOf(kind);
  const query = { [field]: recordKey, limit: SHOWN, count: 'true' };
  const found = useQuery({ queryKey: keys.list(kind, query), queryFn: () => client.list(kind, query) });
  const items = (found.data?.items ?? []) as AnyRecord[];
  if (items.length === 0) return null;
  const count = found.data?.count ?? items.length;
  return (
    <>
      <h2 className="section-title">
        {k.titles} <span className="second">{count}</span>
        {count > SHOWN && <Link to={`${listPath(kind)}?${field}=${encodeURIComponent(recordKey)}`}>all</Link>}
      </h2>
      <div className="panel">
        <div
          className="body"
          style={{ display: 'grid', gridTemplateColumns: 'repeat(auto-fill, minmax(260px, 1fr))', gap: '5px 16px' }}
        >
          {items.map((item) => (
            <span key={item.id}>
              <Link className="mono" to={pathOf(kind, item.key)}>
                {item.key}
              </Link>{' '}
              <span className="second">{String(item.title ?? item.description ?? '')}</span>
            </span>
          ))}
        </div>
      </div>
    </>
  );
}
