import { App, Button } from 'antd';
import { useState, type ReactNode } from 'react';
import { useNavigate } from 'react-router';
import { type KindName } from '@zpine/contract/kinds';
import { client, problemOf, queries, type AnyRecord } from '../api.ts';
import { useMay } from '../session.tsx';
import { listPath, pathOf } from './paths.ts';
import { CloneDrawer } from './CloneDrawer.tsx';
import { RecordDrawer } from './RecordDrawer.tsx';
import { Removal } from './Removal.tsx';

interface Props {
  kind: KindName;
  record: AnyRecord;
  /** What stands for the one primary button instead of Edit. */
  primary?: ReactNode;
}

/** Edit, copy and remove; removal says first what would go. */
export function RecordActions({ kind, record, primary }: Props) {
  const [open, setOpen] = useState<'edit' | 'clone' | 'remove'>();
  const navigate = useNavigate();
  const { message } = App.useApp();
  if (!useMay('engineer')) return null;
  const close = () => setOpen(undefined);
  const remove = async () => {
    try {
      await client.remove(kind, `#${record.id}`, { version: record.version });
      void queries.invalidateQueries();
      await navigate(listPath(kind));
    } catch (error) {
      const { detail, remedy } = problemOf(error);
      void message.error({ content: remedy ? `${detail}. ${remedy}` : detail, duration: 8 });
    }
  };
  return (
    <>
      <Button onClick={() => setOpen('remove')}>Remove</Button>
      <Button onClick={() => setOpen('clone')}>Copy …</Button>
      <Button type={primary ? 'default' : 'primary'} onClick={() => setOpen('edit')}>
        Edit
      </Button>
      {primary}
      {open === 'remove' && <Removal kind={kind} record={record} onClose={close} onRemove={remove} />}
      {open === 'clone' && <CloneDrawer kind={kind} record={record} onClose={close} />}
      {open === 'edit' && (
        <RecordDrawer
          kind={kind}
          record={record}
          onClose={close}
          onSaved={(saved) => saved.key !== record.key && void navigate(pathOf(kind, saved.key), { replace: true })}
        />
      )}
    </>
  );
}
