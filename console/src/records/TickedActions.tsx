import { Button } from 'antd';
import { kindOf, type KindName } from '@zpine/contract/kinds';
import { extrasOf } from '../kinds/registry.ts';
import { inSentence } from '../look/words.ts';
import { useTicked, type Ticks } from './Ticks.tsx';

interface ActionProps {
  kind: KindName;
  ticks: Ticks;
  onEdit: (refs: string[]) => void;
  onRemove: (refs: string[]) => void;
  /** How many a selection lets through, where all of them can be edited. */
  all?: string;
  onEditAll?: () => void;
  onRemoveAll?: () => void;
}

/** What can be done with the ticked rows, or with all of a selection while none is ticked. */
export function TickedActions({ kind, ticks, onEdit, onRemove, all, onEditAll, onRemoveAll }: ActionProps) {
  const ticked = useTicked(ticks);
  const k = kindOf(kind);
  const { tickedActions: More } = extrasOf(kind);
  if (ticked.length === 0)
    return onEditAll ? (
      <>
        <Button onClick={onEditAll}>Edit all {all}</Button>
        <Button onClick={onRemoveAll}>Remove all {all}</Button>
      </>
    ) : null;
  return (
    <>
      <Button onClick={() => onEdit([...ticked])}>
        Edit {ticked.length} {inSentence(ticked.length === 1 ? k.title : k.titles)}
      </Button>
      <Button onClick={() => onRemove([...ticked])}>Remove {ticked.length}</Button>
      {More && <More refs={[...ticked]} onDone={() => ticks.clear()} />}
    </>
  );
}
