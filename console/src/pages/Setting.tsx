import { useQuery } from '@tanstack/react-query';
import { Button, Table } from 'antd';
import { useState } from 'react';
import { Link } from 'react-router';
import type { LayerValueShown } from '@zpine/contract/onboardingShapes';
import { client, keys, problemOf } from '../api.ts';
import type { AnyRecord } from '@zpine/contract/kind';
import { Ago } from '../look/Ago.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { Page } from '../look/Page.tsx';
import { pathOf } from '../records/paths.ts';
import { RecordActions } from '../records/RecordActions.tsx';
import { HistoryPanel, RecordHistory } from '../records/RecordHistory.tsx';
import { Facts } from '../records/RecordPage.tsx';
import { Refused } from '../records/Refused.tsx';
import { crumbsOf, sentenceOf } from '../records/words.ts';
import { useMay } from '../session.tsx';
import { SetValue } from '../settings/SetValue.tsx';
import { ValueText } from '../settings/value.tsx';

/** A setting of the catalogue, and what the layers say. */
export default function SettingPage({ name }: { name: string }) {
  const may = useMay('engineer');
  const attempt = useAttempt();
  const [setting, setSetting] = useState(false);
  const found = useQuery({ queryKey: keys.record('setting', name), queryFn: () => client.show('setting', name) });
  const values = useQuery({
    queryKey: keys.worked('values', name),
    queryFn: () => client.call('value.list', { query: { setting: name } }),
  });
  if (found.isError) return <Refused title={name} error={found.error} back="/settings" />;
  if (!found.data) return <Page title={name} mono children={null} />;
  const record = found.data as AnyRecord;
  const remove = (v: LayerValueShown) =>
    void attempt(async () => {
      await client.call('value.remove', {
        body: { setting: name, layer: v.layer, ...(v.of === '' ? {} : { of: v.of }) },
      });
      return `${name} is no longer set on ${v.layer} ${v.of}`;
    });
  return (
    <Page
      title={record.key}
      mono
      crumbs={crumbsOf('setting', record)}
      sentence={sentenceOf('setting', record)}
      actions={
        <RecordActions
          kind="setting"
          record={record}
          primary={
            may && (
              <Button type="primary" onClick={() => setSetting(true)}>
                Set a value
              </Button>
            )
          }
        />
      }
    >
      <div className="columns">
        <div>
          <h2 className="section-title" style={{ marginTop: 0 }}>
            What layers say <span className="second">{values.data?.items.length ?? ''}</span>
          </h2>
          {values.isError && <div className="refused">{problemOf(values.error).detail}</div>}
          <Table<LayerValueShown>
            size="small"
            rowKey={(v) => `${v.layer} ${v.of}`}
            pagination={false}
            dataSource={values.data?.items ?? []}
            locale={{ emptyText: 'No layer says anything: the default holds' }}
            columns={[
              { title: 'Layer', dataIndex: 'layer' },
              {
                title: 'Of',
                render: (_, v) =>
                  v.layer === 'everywhere' ? null : (
                    <Link className="mono" to={pathOf(v.layer, v.of)}>
                      {v.of}
                    </Link>
                  ),
              },
              { title: '', render: (_, v) => (v.mode === 'set' ? '' : v.mode === 'add' ? 'adds' : 'takes away') },
              { title: 'Value', render: (_, v) => <ValueText value={v.value} /> },
              {
                title: 'By',
                render: (_, v) => (
                  <>
                    {v.updatedBy} <Ago at={v.updatedAt} suffix=" ago" />
                  </>
                ),
              },
              ...(may
                ? [
                    {
                      title: '',
                      render: (_: unknown, v: LayerValueShown) => (
                        <Button size="small" onClick={() => remove(v)}>
                          Take away
                        </Button>
                      ),
                    },
                  ]
                : []),
            ]}
          />
          <h2 className="section-title">In the catalogue</h2>
          <div className="panel">
            <div className="body">
              <Facts kind="setting" record={record} />
            </div>
          </div>
        </div>
        <div>
          <HistoryPanel title="Its values over time" query={{ setting: name, limit: 8 }} />
          <RecordHistory kind="setting" id={record.id} />
        </div>
      </div>
      {setting && (
        <SetValue
          setting={name}
          valueType={String(record.valueType)}
          secret={record.secret === true}
          told={record.dhcpOption !== null || record.key.startsWith('dhcp.')}
          onClose={() => setSetting(false)}
        />
      )}
    </Page>
  );
}
