import { App, Button } from 'antd';
import { useState, type ReactNode } from 'react';
import { useNavigate } from 'react-router';
import { kindOf, type KindName } from '@zpine/contract/kinds';
import { client, problemOf, queries, type AnyRecord } from '../api.ts';
import { inSentence } from '../look/words.ts';
import { useMay } from '../session.tsx';
import { listPath, pathOf } from './paths.ts';
import { RecordDrawer } from './RecordDrawer.tsx';

interface Props {
  kind: KindName;
  record: AnyRecord;
  /** What stands for the one primary button instead of Edit. */
  primary?: ReactNode;
}

/** Edit and remove; removal asks, since it cannot be taken back with one click. */
export function RecordActions({ kind, record, primary }: Props) {
  const [editing, setEditing] = useState(false);
  const navigate = useNavigate();
  const { modal, message } = App.useApp();
  if (!useMay('engineer')) return null;
  const title = inSentence(kindOf(kind).title);
  const remove = () =>
    void modal.confirm({
      title: `Remove ${title} ${record.key}?`,
      content: 'The history keeps it; what is a part of it goes with it.',
      okText: 'Remove',
      okButtonProps: { danger: true },
      onOk: async () => {
        try {
          await client.remove(kind, `#${record.id}`, { version: record.version });
          void queries.invalidateQueries();
          await navigate(listPath(kind));
        } catch (error) {
          const { detail, remedy } = problemOf(error);
          void message.error({ content: remedy ? `${detail}. ${remedy}` : detail, duration: 8 });
        }
      },
    });
  return (
    <>
      <Button onClick={remove}>Remove</Button>
      <Button type={primary ? 'default' : 'primary'} onClick={() => setEditing(true)}>
        Edit
      </Button>
      {primary}
      {editing && (
        <RecordDrawer
          kind={kind}
          record={record}
          onClose={() => setEditing(false)}
          onSaved={(saved) => saved.key !== record.key && void navigate(pathOf(kind, saved.key), { replace: true })}
        />
      )}
    </>
  );
}
