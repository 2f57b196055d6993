import { Table } from 'antd';
import type { ImportedRow, ImportFault, ImportOutcome } from '@zpine/contract/importRoutes';

/** What would come of an import, or came of it; or what is wrong with it. */
export function Outcome({ outcome, saved = false }: { outcome: ImportOutcome; saved?: boolean }) {
  return (
    <>
      <Summary outcome={outcome} saved={saved} />
      {outcome.faults.length > 0 ? <Faults faults={outcome.faults} /> : <Changes items={outcome.items} />}
    </>
  );
}

function Summary({ outcome: { counts, faultCount, rows }, saved }: { outcome: ImportOutcome; saved: boolean }) {
  const [added, edited] = saved ? ['were added', 'were edited'] : ['would be added', 'would be edited'];
  const words = [
    counts.add > 0 && `${counts.add} ${added}`,
    counts.edit > 0 && `${counts.edit} ${edited}`,
    counts.same > 0 && `${counts.same} stay as they are`,
  ].filter(Boolean);
  return (
    <h2 className="section-title">
      {faultCount > 0 ? `${faultCount} fault${faultCount === 1 ? '' : 's'}` : words.join(', ') || 'Nothing to do'}
      <span className="second">
        {rows} row{rows === 1 ? '' : 's'}
        {faultCount > 0 && ', nothing can be saved before they are mended'}
      </span>
    </h2>
  );
}

function Faults({ faults }: { faults: ImportFault[] }) {
  const files = faults.some((f) => f.file !== null);
  return (
    <Table<ImportFault>
      size="small"
      rowKey={(f) => `${f.file} ${f.kind} ${f.row} ${f.column} ${f.detail}`}
      pagination={{ pageSize: 50, hideOnSinglePage: true }}
      dataSource={faults}
      columns={[
        ...(files ? [{ title: 'File', dataIndex: 'file' }] : []),
        { title: 'Row', align: 'right', width: 60, render: (_, f) => (f.row === 0 ? '' : f.row) },
        { title: 'Kind', dataIndex: 'kind' },
        { title: 'Column', dataIndex: 'column' },
        { title: 'Value', render: (_, f) => <span className="mono">{f.value}</span> },
        { title: 'What is wrong', dataIndex: 'detail' },
        { title: 'Remedy', dataIndex: 'remedy' },
      ]}
    />
  );
}

const shownValue = (value: unknown): string =>
  value === null || value === undefined
    ? 'empty'
    : Array.isArray(value)
      ? value.map(String).join(', ')
      : typeof value === 'string'
        ? value
        : JSON.stringify(value);

function Changes({ items }: { items: ImportedRow[] }) {
  if (items.length === 0) return null;
  return (
    <Table<ImportedRow>
      size="small"
      rowKey={(i) => `${i.kind} ${i.key}`}
      pagination={{ pageSize: 50, hideOnSinglePage: true }}
      dataSource={items}
      columns={[
        { title: 'Row', align: 'right', width: 60, render: (_, i) => (i.row === 0 ? '' : i.row) },
        { title: '', dataIndex: 'action' },
        { title: 'Kind', dataIndex: 'kind' },
        { title: 'Record', render: (_, i) => <span className="mono">{i.key}</span> },
        {
          title: 'What',
          render: (_, i) =>
            i.changes.map((c, n) => (
              <span key={c.field}>
                {n > 0 && ', '}
                {c.field} {i.action === 'edit' && <span className="mono before">{shownValue(c.before)}</span>}{' '}
                <span className="mono after">{shownValue(c.after)}</span>
              </span>
            )),
        },
      ]}
    />
  );
}
