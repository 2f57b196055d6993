import { Select } from 'antd';
import { fieldsOf } from '@zpine/contract/kind';
import type { ImportOutcome } from '@zpine/contract/importRoutes';
import { kindOf, type KindName } from '@zpine/contract/kinds';

export type Columns = Record<string, string | null>;

interface Props {
  outcome: ImportOutcome;
  kind: KindName;
  columns: Columns;
  onMap: (columns: Columns) => void;
}

const LEFT_OUT = 'left out';

/** Columns whose heads fit no field: each can be given one, or left out; what was said once is remembered. */
export function Heads({ outcome, kind, columns, onMap }: Props) {
  const unknown = outcome.faults.filter((f) => f.code === 'import-header').map((f) => f.column ?? '');
  const remembered = new Map(outcome.heads.filter((head) => head.remembered).map((head) => [head.column, head.field]));
  const open = [...new Set([...unknown, ...remembered.keys(), ...Object.keys(columns)])];
  if (open.length === 0) return null;
  const choices = fieldsOf(kindOf(kind)).filter(([, field]) => !field.derived);
  const valueOf = (column: string): string | undefined => {
    if (Object.hasOwn(columns, column)) return columns[column] ?? LEFT_OUT;
    return remembered.has(column) ? (remembered.get(column) ?? LEFT_OUT) : undefined;
  };
  return (
    <div className="toolbar" style={{ marginTop: 12, flexWrap: 'wrap' }}>
      {open.map((column) => (
        <label key={column}>
          <span className="mono">{column}</span>{' '}
          <Select
            aria-label={`Field of ${column}`}
            style={{ width: 180 }}
            placeholder="is which field?"
            value={valueOf(column)}
            options={[
              { value: LEFT_OUT, label: LEFT_OUT },
              ...choices.map(([name, field]) => ({ value: name, label: field.title })),
            ]}
            onChange={(field: string) => onMap({ ...columns, [column]: field === LEFT_OUT ? null : field })}
          />
        </label>
      ))}
      {remembered.size > 0 && <span className="second">as said at an earlier import</span>}
    </div>
  );
}
