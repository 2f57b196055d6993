/** What everybody has of their own: a password, and tokens for programs. */
import { App, Button, Form, Input, Table } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { ReplyOf } from '@zpine/contract/routes';
import { client, keys, problemOf, queries } from '../api.ts';
import { Ago } from '../look/Ago.tsx';
import { Page } from '../look/Page.tsx';
import { useMe } from '../session.tsx';

export default function Account() {
  const me = useMe();
  return (
    <Page title={me.title ?? me.name} sentence={`You are signed in as ${me.name}, ${me.role}.`}>
      <Tokens />
      <Sessions />
      <Password />
    </Page>
  );
}

interface Typed {
  current: string;
  password: string;
  again: string;
}

function Password() {
  const { message } = App.useApp();
  const [form] = Form.useForm<Typed>();
  const save = async ({ current, password }: Typed) => {
    try {
      await client.call('session.password', { body: { current, password } });
      form.resetFields();
      void message.success('Changed. You are signed out everywhere else.');
    } catch (error) {
      const problem = problemOf(error);
      const places = problem.errors ?? [{ pointer: '/current', detail: problem.detail }];
      form.setFields(places.map(({ pointer, detail }) => ({ name: pointer.slice(1) as 'current', errors: [detail] })));
    }
  };
  return (
    <>
      <h2 className="section-title">Your password</h2>
      <Form form={form} layout="vertical" style={{ maxWidth: 320 }} onFinish={(typed: Typed) => void save(typed)}>
        <Form.Item
          name="current"
          label="Current password"
          rules={[{ required: true, message: 'your current password' }]}
        >
          <Input.Password autoComplete="current-password" />
        </Form.Item>
        <Form.Item name="password" label="New password" rules={[{ required: true, message: 'the new password' }]}>
          <Input.Password autoComplete="new-password" />
        </Form.Item>
        <Form.Item
          name="again"
          label="Once more"
          dependencies={['password']}
          rules={[
            {
              validator: (_, typed) =>
                typed === form.getFieldValue('password')
                  ? Promise.resolve()
                  : Promise.reject(new Error('the two are not the same')),
            },
          ]}
        >
          <Input.Password autoComplete="new-password" />
        </Form.Item>
        <Button type="primary" htmlType="submit">
          Change it
        </Button>
      </Form>
    </>
  );
}

type Session = ReplyOf<'session.list'>['items'][number];

/** Where somebody is signed in: what they do not know they end. */
function Sessions() {
  const { message } = App.useApp();
  const sessions = useQuery({ queryKey: keys.worked('sessions'), queryFn: () => client.call('session.list') });
  const end = async (session?: number) => {
    const body = session === undefined ? {} : { session: String(session) };
    const { ended } = await client.call('session.end', { body });
    void message.success(`${ended} ended`);
    void queries.invalidateQueries({ queryKey: keys.worked('sessions') });
  };
  return (
    <>
      <h2 className="section-title">Where you are signed in</h2>
      <div className="filters">
        <Button onClick={() => void end()}>Sign out everywhere else</Button>
      </div>
      <Table<Session>
        size="small"
        rowKey="id"
        pagination={false}
        dataSource={sessions.data?.items ?? []}
        columns={[
          { title: 'From', render: (_, s) => <span className="mono">{s.address}</span> },
          { title: 'With', render: (_, s) => s.agent },
          { title: 'Since', render: (_, s) => <Ago at={s.createdAt} suffix=" ago" /> },
          { title: 'Last used', render: (_, s) => <Ago at={s.usedAt} suffix=" ago" /> },
          {
            title: '',
            render: (_, s) =>
              s.current ? (
                'this one'
              ) : (
                <Button size="small" onClick={() => void end(s.id)}>
                  End it
                </Button>
              ),
          },
        ]}
      />
    </>
  );
}

type Token = ReplyOf<'token.list'>['items'][number];

function Tokens() {
  const { modal, message } = App.useApp();
  const [title, setTitle] = useState('');
  const tokens = useQuery({ queryKey: keys.worked('tokens'), queryFn: () => client.call('token.list') });
  const again = () => void queries.invalidateQueries({ queryKey: keys.worked('tokens') });
  const add = async () => {
    try {
      const made = await client.call('token.add', { body: { title, days: 90 } });
      setTitle('');
      again();
      modal.success({
        title: 'The token, shown this once',
        content: (
          <span className="mono" style={{ overflowWrap: 'anywhere' }}>
            {made.secret}
          </span>
        ),
        width: 560,
      });
    } catch (error) {
      void message.error(problemOf(error).detail);
    }
  };
  const remove = async (id: number) => {
    await client.call('token.remove', { params: { id: String(id) } });
    again();
  };
  return (
    <>
      <h2 className="section-title">Your tokens</h2>
      <div className="filters">
        <Input
          style={{ width: 260 }}
          placeholder="what it is for"
          value={title}
          onChange={(e) => setTitle(e.target.value)}
        />
        <Button disabled={!title.trim()} onClick={() => void add()}>
          Make a token
        </Button>
      </div>
      <Table<Token>
        size="small"
        rowKey="id"
        pagination={false}
        dataSource={tokens.data?.items ?? []}
        locale={{ emptyText: 'No tokens: programs and the command line have one each' }}
        columns={[
          { title: 'For', dataIndex: 'title' },
          { title: 'Role', dataIndex: 'role' },
          { title: 'Made', render: (_, t) => <Ago at={t.createdAt} suffix=" ago" /> },
          {
            title: 'Last used',
            render: (_, t) => (t.usedAt === null ? 'never' : <Ago at={t.usedAt} suffix=" ago" />),
          },
          { title: 'Until', render: (_, t) => t.expiresAt.slice(0, 10) },
          {
            title: '',
            render: (_, t) => (
              <Button size="small" onClick={() => void remove(t.id)}>
                Withdraw
              </Button>
            ),
          },
        ]}
      />
    </>
  );
}
