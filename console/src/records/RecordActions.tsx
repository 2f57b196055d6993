import { Button } from 'antd';
import { useState, type ReactNode } from 'react';
import { useNavigate } from 'react-router';
import { kindOf, type KindName } from '@zpine/contract/kinds';
import { queries } from '../api.ts';
import type { AnyRecord } from '@zpine/contract/kind';
import { inSentence } from '../look/words.ts';
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
  if (!useMay('engineer')) return null;
  const close = () => setOpen(undefined);
  const removed = () => {
    void queries.invalidateQueries();
    void navigate(listPath(kind));
  };
  return (
    <>
      <Button onClick={() => setOpen('remove')}>Remove</Button>
      <Button onClick={() => setOpen('clone')}>Copy …</Button>
      <Button type={primary ? 'default' : 'primary'} onClick={() => setOpen('edit')}>
        Edit
      </Button>
      {primary}
      {open === 'remove' && (
        <Removal
          kind={kind}
          which={{ refs: [`#${record.id}`] }}
          title={`${inSentence(kindOf(kind).title)} ${record.key}`}
          onClose={close}
          onRemoved={removed}
        />
      )}
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
