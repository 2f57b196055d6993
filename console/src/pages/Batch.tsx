import { useQuery } from '@tanstack/react-query';
import { Suspense } from 'react';
import type { AnyRecord } from '@zpine/contract/kind';
import { client, keys } from '../api.ts';
import BatchBoard from '../batches/BatchBoard.tsx';
import { Page } from '../look/Page.tsx';
import { listPath } from '../records/paths.ts';
import { RecordActions } from '../records/RecordActions.tsx';
import { RecordHistory } from '../records/RecordHistory.tsx';
import { Refused } from '../records/Refused.tsx';
import { crumbsOf, sentenceOf } from '../records/words.ts';

/** The board of a batch comes first, over the whole width; what was done with the batch itself stands below it. */
export default function Batch({ name }: { name: string }) {
  const found = useQuery({ queryKey: keys.record('batch', name), queryFn: () => client.show('batch', name) });
  if (found.isError) return <Refused title="Batch" error={found.error} back={listPath('batch')} />;
  if (!found.data) return <Page title={name} mono children={null} />;
  const record = found.data as AnyRecord;
  return (
    <Page
      title={record.key}
      mono
      sentence={sentenceOf('batch', record)}
      crumbs={crumbsOf('batch', record)}
      actions={
        <Suspense fallback={null}>
          <RecordActions kind="batch" record={record} />
        </Suspense>
      }
    >
      <BatchBoard record={record} />
      <div style={{ marginTop: 22, maxWidth: 620 }}>
        <RecordHistory kind="batch" id={record.id} />
      </div>
    </Page>
  );
}
