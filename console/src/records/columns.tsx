/** The columns of a list, from the description of its kind. */
import type { TableColumnType } from 'antd';
import { Link } from 'react-router';
import type { AnyRecord, KindDescription } from '@zpine/contract/kind';
import type { KindName } from '@zpine/contract/kinds';
import { Cell } from './Cell.tsx';
import { pathOf } from './paths.ts';
import { Tick, TickAll, type Ticks } from './Ticks.tsx';

export function columnsOf(k: KindDescription, kind: KindName): TableColumnType<AnyRecord>[] {
  return k.list.map((name) => {
    const field = k.fields[name];
    const sortable = name === 'key' || k.sort?.includes(name);
    return {
      key: name,
      title: name === 'key' ? k.title : field?.title,
      ...(sortable ? { sorter: true } : {}),
      ...(field?.type === 'int' ? { className: 'num' } : {}),
      ellipsis: field?.type === 'note',
      // A page more must not draw all rows anew.
      shouldCellUpdate: (record: AnyRecord, before: AnyRecord) => record !== before,
      render: (_: unknown, record: AnyRecord) =>
        name === 'key' ? (
          <Link className="mono" to={pathOf(kind, record.key)} onClick={(event) => event.stopPropagation()}>
            {record.key}
          </Link>
        ) : (
          field && <Cell name={name} field={field} value={record[name] ?? null} />
        ),
    };
  });
}

const refOf = (record: AnyRecord): string => `#${record.id}`;

export const tickColumn = (ticks: Ticks, items: AnyRecord[]): TableColumnType<AnyRecord> => ({
  key: 'tick',
  width: 36,
  title: <TickAll ticks={ticks} refs={items.map(refOf)} />,
  shouldCellUpdate: (record, before) => record !== before,
  // Beside the box is still the box: a near miss does not open the record.
  onCell: () => ({ onClick: (event) => event.stopPropagation() }),
  render: (_, record) => <Tick ticks={ticks} of={refOf(record)} label={record.key} />,
});
