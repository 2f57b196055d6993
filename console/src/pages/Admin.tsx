import { App, Button, Form, Input, Modal, Select, Switch, Table } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { roles, type Role } from '@zpine/contract/roles';
import type { ReplyOf } from '@zpine/contract/routes';
import { client, keys, problemOf, queries } from '../api.ts';
import { Page } from '../look/Page.tsx';
import { Access } from '../admin/Access.tsx';
import { ActsAt } from '../admin/ActsAt.tsx';
import { ImagesHere } from '../admin/ImagesHere.tsx';
import { Processes } from '../admin/Processes.tsx';
import { StoreChecks } from '../admin/StoreChecks.tsx';

type User = ReplyOf<'user.list'>['items'][number];
interface Edit {
  role?: Role;
  disabled?: boolean;
  sites?: string[] | 'all';
  sitesUntil?: string | null;
}
const roleOptions = roles.map((role) => ({ value: role, label: role }));

export default function Admin() {
  const { message } = App.useApp();
  const [adding, setAdding] = useState(false);
  const users = useQuery({ queryKey: keys.worked('users'), queryFn: () => client.call('user.list') });
  const edit = async (name: string, body: Edit) => {
    try {
      await client.call('user.edit', { params: { name }, body });
      void queries.invalidateQueries({ queryKey: keys.worked('users') });
    } catch (error) {
      void message.error(problemOf(error).detail);
    }
  };
  return (
    <Page
      title="Admin"
      sentence="Who may sign in, what they may do, and whether what is kept beside the records is right."
      actions={
        <Button type="primary" onClick={() => setAdding(true)}>
          Add a user
        </Button>
      }
    >
      <Table<User>
        size="small"
        rowKey="name"
        pagination={false}
        dataSource={users.data?.items ?? []}
        columns={[
          { title: 'User', render: (_, u) => <span className="mono">{u.name}</span> },
          { title: 'Title', dataIndex: 'title' },
          {
            title: 'Role',
            render: (_, u) => (
              <Select
                aria-label={`Role of ${u.name}`}
                style={{ width: 130 }}
                value={u.role}
                options={roleOptions}
                onChange={(role) => void edit(u.name, { role })}
              />
            ),
          },
          {
            title: 'Acts at',
            render: (_, u) => {
              if (u.role === 'viewer') return 'looks only';
              if (u.role !== 'installer') return 'every site';
              return <ActsAt user={u} onSave={(body) => void edit(u.name, body)} />;
            },
          },
          {
            title: 'May sign in',
            render: (_, u) => (
              <Switch
                aria-label={`${u.name} may sign in`}
                checked={!u.disabled}
                onChange={(may) => void edit(u.name, { disabled: !may })}
              />
            ),
          },
          { title: '', render: (_, u) => <Access name={u.name} /> },
        ]}
      />
      <Processes />
      <ImagesHere />
      <StoreChecks />
      {adding && <AddUser onClose={() => setAdding(false)} />}
    </Page>
  );
}

function AddUser({ onClose }: { onClose: () => void }) {
  const [form] = Form.useForm<{ name: string; title?: string; role: Role; password: string }>();
  const save = async () => {
    try {
      const { title, ...rest } = form.getFieldsValue();
      await client.call('user.add', { body: { ...rest, ...(title ? { title } : {}) } });
      void queries.invalidateQueries({ queryKey: keys.worked('users') });
      onClose();
    } catch (error) {
      const problem = problemOf(error);
      const places = problem.errors ?? [{ pointer: '/name', detail: problem.detail }];
      form.setFields(places.map(({ pointer, detail }) => ({ name: pointer.slice(1) as 'name', errors: [detail] })));
    }
  };
  return (
    <Modal open title="Add a user" okText="Add" onOk={() => void save()} onCancel={onClose}>
      <Form form={form} layout="vertical" initialValues={{ name: '', role: 'viewer', password: '' }}>
        <Form.Item name="name" label="Name">
          <Input className="mono" autoComplete="off" autoFocus />
        </Form.Item>
        <Form.Item name="title" label="Full name">
          <Input autoComplete="off" />
        </Form.Item>
        <Form.Item name="role" label="Role">
          <Select options={roleOptions} />
        </Form.Item>
        <Form.Item name="password" label="First password">
          <Input.Password autoComplete="new-password" />
        </Form.Item>
      </Form>
    </Modal>
  );
}
