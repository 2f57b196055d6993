import { App, Button, Drawer, Table } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { ReplyOf } from '@zpine/contract/routes';
import { client, keys, queries } from '../api.ts';
import { Ago } from '../look/Ago.tsx';

type Seen = ReplyOf<'user.access'>;

/** What lets a user in now, to be taken back. */
export function Access({ name }: { name: string }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button size="small" aria-label={`Sessions and tokens of ${name}`} onClick={() => setOpen(true)}>
        Sessions and tokens
      </Button>
      {open && <Opened name={name} onClose={() => setOpen(false)} />}
    </>
  );
}

function Opened({ name, onClose }: { name: string; onClose: () => void }) {
  const { message } = App.useApp();
  const key = keys.worked(`access ${name}`);
  const seen = useQuery({ queryKey: key, queryFn: () => client.call('user.access', { params: { name } }) });
  const revoke = async (token?: number) => {
    const done = await client.call('user.revoke', { params: { name }, body: token === undefined ? {} : { token } });
    void message.success(`${done.sessions} sessions ended, ${done.tokens} tokens taken back`);
    void queries.invalidateQueries({ queryKey: key });
  };
  return (
    <Drawer
      open
      width={760}
      title={`What lets ${name} in`}
      onClose={onClose}
      extra={
        <Button danger onClick={() => void revoke()}>
          Take all of it back
        </Button>
      }
    >
      <h2 className="section-title">Sessions</h2>
      <Table<Seen['sessions'][number]>
        size="small"
        rowKey="id"
        pagination={false}
        dataSource={seen.data?.sessions ?? []}
        columns={[
          { title: 'From', render: (_, s) => <span className="mono">{s.address}</span> },
          { title: 'With', dataIndex: 'agent' },
          { title: 'Since', render: (_, s) => <Ago at={s.createdAt} suffix=" ago" /> },
          { title: 'Last used', render: (_, s) => <Ago at={s.usedAt} suffix=" ago" /> },
        ]}
      />
      <h2 className="section-title">Tokens</h2>
      <Table<Seen['tokens'][number]>
        size="small"
        rowKey="id"
        pagination={false}
        dataSource={seen.data?.tokens ?? []}
        columns={[
          { title: 'For', dataIndex: 'title' },
          { title: 'Role', dataIndex: 'role' },
          { title: 'Until', render: (_, t) => t.expiresAt.slice(0, 10) },
          {
            title: 'Last used',
            render: (_, t) => (t.usedAt === null ? 'never' : <Ago at={t.usedAt} suffix=" ago" />),
          },
          {
            title: '',
            render: (_, t) => (
              <Button size="small" onClick={() => void revoke(t.id)}>
                Take it back
              </Button>
            ),
          },
        ]}
      />
    </Drawer>
  );
}
