import { useQuery } from '@tanstack/react-query';
import { Table } from 'antd';
import type { ReplyOf } from '@zpine/contract/routes';
import { Leases } from '../addressing/Leases.tsx';
import { client, keys, problemOf } from '../api.ts';
import { Ago } from '../look/Ago.tsx';
import { SignsOfLife } from './SignsOfLife.tsx';

type Told = ReplyOf<'device.dhcp'>;

/** What the device is told when it boots, and what it asked lately. */
export function Booting({ device }: { device: string }) {
  const told = useQuery({
    queryKey: keys.worked('dhcp', device),
    queryFn: () => client.call('device.dhcp', { params: { ref: device }, query: {} }),
  });
  const log = useQuery({
    queryKey: keys.worked('boot', device),
    queryFn: () => client.call('boot.records', { query: { device, limit: '50' } }),
    refetchInterval: 15_000,
  });
  if (told.isError) return <div className="refused">{problemOf(told.error).detail}</div>;
  if (!told.data) return null;
  return (
    <>
      <Summary told={told.data} />
      {told.data.options.length > 0 && (
        <Table
          size="small"
          rowKey="code"
          pagination={false}
          dataSource={told.data.options}
          columns={[
            { title: 'Code', dataIndex: 'code', align: 'right', width: 64 },
            { title: 'Option', dataIndex: 'name' },
            { title: 'Value', render: (_, o) => <span className="mono">{o.value}</span> },
            { title: 'Bytes', render: (_, o) => <span className="mono second bytes">{o.bytes}</span> },
            { title: 'Comes from', dataIndex: 'from' },
          ]}
        />
      )}
      {told.data.untold.length > 0 && (
        <p className="hint">Not told: {told.data.untold.map((o) => `${o.code} ${o.name} (${o.why})`).join(', ')}.</p>
      )}
      <Leases of={{ device }} />
      <h2 className="section-title">What it asked</h2>
      <Table
        size="small"
        rowKey="id"
        pagination={false}
        dataSource={log.data?.items ?? []}
        locale={{ emptyText: 'Nothing was heard of it yet' }}
        expandable={{
          expandedRowRender: (r) => <Replay id={r.id} />,
          rowExpandable: (r) => r.protocol === 'dhcp' && r.what !== 'packet',
        }}
        columns={[
          { title: 'Last', render: (_, r) => <Ago at={r.lastAt} suffix=" ago" /> },
          { title: 'Times', dataIndex: 'times', align: 'right' },
          { title: 'Request', render: (_, r) => `${r.protocol.toUpperCase()} ${r.what}` },
          { title: 'Outcome', dataIndex: 'outcome' },
          { title: 'Detail', render: (_, r) => <span className="detail">{r.detail}</span> },
        ]}
      />
      <SignsOfLife of={{ device }} />
    </>
  );
}

function Summary({ told }: { told: Told }) {
  return (
    <div className="panel" style={{ marginBottom: 14 }}>
      <dl className="facts body">
        <dt>Known by</dt>
        <dd className="mono">{told.client ?? 'nothing: it has no box'}</dd>
        <dt>Boots</dt>
        <dd>
          {told.relay ? (
            <>
              behind relay <span className="mono">{told.relay}</span>
              {told.prefix && (
                <>
                  , in <span className="mono">{told.prefix}</span>
                </>
              )}
            </>
          ) : (
            'on the wire of the service'
          )}
        </dd>
        {told.address && (
          <>
            <dt>Gets</dt>
            <dd>
              <span className="mono">{told.address}</span>, {told.addressFrom}
            </dd>
          </>
        )}
        <dt>Boot file</dt>
        <dd>
          {told.silent ? (
            <>no answer at all: {told.silent}</>
          ) : told.noFile ? (
            <>none: {told.noFile}</>
          ) : (
            <>
              <span className="mono">{told.file}</span> at <span className="mono">{told.nextServer}</span>
            </>
          )}
        </dd>
      </dl>
    </div>
  );
}

/** What the same packet would be answered now, beside what it was. */
function Replay({ id }: { id: number }) {
  const seen = useQuery({
    queryKey: keys.worked('replay', String(id)),
    queryFn: () => client.call('boot.replay', { params: { id: String(id) } }),
  });
  if (seen.isError) return <p className="hint">{problemOf(seen.error).detail}</p>;
  if (!seen.data) return null;
  const { changes, now } = seen.data;
  return (
    <div>
      <p className="hint">
        Asked again now: {now.detail}
        {changes.length === 0 && '. It would be told the same.'}
      </p>
      {changes.length > 0 && (
        <table className="plain-table">
          <thead>
            <tr>
              {['Code', 'What changed', 'Then', 'Now'].map((head) => (
                <th key={head}>{head}</th>
              ))}
            </tr>
          </thead>
          <tbody>
            {changes.map(({ code, name, then, now: after }) => (
              <tr key={`${code ?? ''} ${name}`}>
                <td>{code}</td>
                <td>{name}</td>
                <td className="mono">{then ?? <span className="second">nothing</span>}</td>
                <td className="mono">{after ?? <span className="second">nothing</span>}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}
