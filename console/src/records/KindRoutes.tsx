/** The addresses of lists and records: by the kind's path, some kinds with a page of their own. */
import { lazy } from 'react';
import { useParams } from 'react-router';
import { extrasOf } from '../kinds/registry.ts';
import { Page } from '../look/Page.tsx';
import { kindAt } from './paths.ts';

const RecordList = lazy(() => import('./RecordList.tsx'));
const RecordPage = lazy(() => import('./RecordPage.tsx'));

export const Lost = () => (
  <Page title="Nothing here" sentence="No page has this address.">
    <p>The navigation on the left leads everywhere.</p>
  </Page>
);

/** A list by the kind's path; some kinds have a page of their own. */
export function ListRoute() {
  const kind = kindAt(useParams().path ?? '');
  if (!kind) return <Lost />;
  const { listPage: Own } = extrasOf(kind);
  return Own ? <Own /> : <RecordList key={kind} kind={kind} />;
}

export function RecordRoute() {
  const { path = '', key = '' } = useParams();
  const kind = kindAt(path);
  if (!kind) return <Lost />;
  const { page: Own } = extrasOf(kind);
  if (Own) return <Own key={`${kind} ${key}`} recordKey={key} />;
  return <RecordPage key={`${kind} ${key}`} kind={kind} recordKey={key} />;
}
