import { Button, Drawer, Input, Select } from 'antd';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { cellsOf, linesOf, separatorOf } from '@zpine/core/lists/cells';
import { expandSeries } from '@zpine/core/naming/series';
import { typeOf, type Value } from '@zpine/contract/fields';
import { type AnyRecord, fieldsOf, type KindDescription } from '@zpine/contract/kind';
import { kindOf, type KindName } from '@zpine/contract/kinds';
import { client, problemOf, queries } from '../api.ts';
import { Impact } from '../impact/Impact.tsx';
import { extrasOf } from '../kinds/registry.ts';
import { inSentence } from '../look/words.ts';
import { listPath, pathOf } from './paths.ts';

interface Props {
  kind: KindName;
  record: AnyRecord;
  onClose: () => void;
}

interface Column {
  name: string;
  title: string;
}

/** Copies under other names: one a line, with what is different in each behind it; `NAME-{2..9}` stands for many. */
export function CloneDrawer({ kind, record, onClose }: Props) {
  const k = kindOf(kind);
  const navigate = useNavigate();
  const all = columnsOf(k, kind);
  const [chosen, setChosen] = useState<string[]>(extrasOf(kind).copies?.columns ?? []);
  const [text, setText] = useState('');
  const [refused, setRefused] = useState<string[]>([]);
  const [busy, setBusy] = useState(false);
  const own = k.key.parts.filter((part) => k.fields[part]?.type !== 'ref');
  const columns = [...own, ...chosen].map((name) => all.find((one) => one.name === name) ?? { name, title: name });
  const { records, wrong } = rowsOf(k, columns, text);
  const send = (by = client) => by.clone(kind, `#${record.id}`, records);
  const save = async () => {
    setBusy(true);
    try {
      const made = await send();
      void queries.invalidateQueries();
      onClose();
      const [only] = made;
      await navigate(made.length === 1 && only ? pathOf(kind, only.key) : listPath(kind));
    } catch (error) {
      const { errors = [], detail, remedy } = problemOf(error);
      const lines = errors.map(
        (e) => `copy ${Number(e.pointer.split('/')[2] ?? 0) + 1}: ${e.detail}${e.remedy ? `; ${e.remedy}` : ''}`,
      );
      setRefused(lines.length > 0 ? lines : [remedy ? `${detail}; ${remedy}` : detail]);
    } finally {
      setBusy(false);
    }
  };
  return (
    <Drawer
      open
      size={620}
      title={`Copy ${inSentence(k.title)} ${record.key}`}
      onClose={onClose}
      footer={
        <div style={{ display: 'flex', gap: 8 }}>
          <Button
            type="primary"
            disabled={records.length === 0 || wrong.length > 0}
            loading={busy}
            onClick={() => void save()}
          >
            {records.length === 0
              ? 'Add copies'
              : `Add ${records.length} ${inSentence(records.length === 1 ? k.title : k.titles)}`}
          </Button>
          <Button type="text" onClick={onClose}>
            Cancel
          </Button>
        </div>
      }
    >
      <p className="second" style={{ marginTop: 0 }}>
        One copy a line; <span className="mono">{exampleOf(kind, record)}</span> stands for many. A table from a
        spreadsheet can be pasted.
      </p>
      <div className="form">
        <label htmlFor="clone-columns">What is different, behind the {own.join(' and ')}</label>
        <Select
          id="clone-columns"
          mode="multiple"
          style={{ width: '100%' }}
          value={chosen}
          options={all.filter((one) => !own.includes(one.name)).map((one) => ({ value: one.name, label: one.title }))}
          onChange={setChosen}
          placeholder="nothing"
        />
        <label htmlFor="clone-text">Copies: {columns.map((one) => one.title).join(', ')}</label>
        <Input.TextArea
          id="clone-text"
          className="mono"
          autoFocus
          spellCheck={false}
          autoSize={{ minRows: 5, maxRows: 14 }}
          placeholder={exampleOf(kind, record)}
          value={text}
          onChange={(e) => {
            setText(e.target.value);
            setRefused([]);
          }}
        />
      </div>
      {[...wrong, ...refused].length > 0 && (
        <div className="refused" role="alert" style={{ marginTop: 12, whiteSpace: 'pre-line' }}>
          {[...wrong, ...refused].join('\n')}
        </div>
      )}
      {records.length > 0 && wrong.length === 0 && <Impact write={send} asked={records} />}
      {records.length > 0 && (
        <table className="copies">
          <thead>
            <tr>
              {columns.map((one) => (
                <th key={one.name}>{one.title}</th>
              ))}
            </tr>
          </thead>
          <tbody>
            {records.slice(0, 40).map((row, i) => (
              <tr key={i}>
                {columns.map((one) => (
                  <td key={one.name} className="mono">
                    {row[one.name] === undefined || row[one.name] === null ? '' : String(row[one.name] as string)}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {records.length > 40 && <div className="second">and {records.length - 40} more</div>}
    </Drawer>
  );
}

/** What may differ; for devices also their boxes. */
function columnsOf(k: KindDescription, kind: KindName): Column[] {
  const own = fieldsOf(k).filter(([, field]) => !field.derived && !field.byVerb);
  return [...own.map(([name, field]) => ({ name, title: field.title })), ...(extrasOf(kind).copies?.more ?? [])];
}

function exampleOf(kind: KindName, record: AnyRecord): string {
  const name = String(record.name ?? record.key);
  const numbered = (held: string) => held.replace(/\d+$/, '{5..9}');
  const { names = /-\d+$/.test(name) ? numbered : (held: string) => `${held}-2` } = extrasOf(kind).copies ?? {};
  return names(name);
}

function rowsOf(
  k: KindDescription,
  columns: Column[],
  text: string,
): { records: Record<string, Value>[]; wrong: string[] } {
  const lines = linesOf(text);
  const separator = separatorOf(lines.map((line) => line.text));
  const records: Record<string, Value>[] = [];
  const wrong: string[] = [];
  for (const { line, text: row } of lines) {
    const cells = cellsOf(row, separator).map((cell) => expandSeries(cell));
    const bad = cells.find((cell) => !cell.ok);
    if (bad && !bad.ok) {
      wrong.push(`line ${line}: "${String(bad.fault.params.value)}" is not a list of names`);
      continue;
    }
    const lists = cells.map((cell) => (cell.ok ? cell.value : []));
    const most = Math.max(...lists.map((list) => list.length), 1);
    if (cells.length > columns.length)
      wrong.push(`line ${line}: there are ${cells.length} values for ${columns.length} columns`);
    for (let i = 0; i < most; i += 1) {
      const record: Record<string, Value> = {};
      for (const [at, { name }] of columns.entries()) {
        const list = lists[at] ?? [];
        const cell = list[list.length === 1 ? 0 : i];
        const field = k.fields[name];
        if (cell !== undefined && cell !== '') record[name] = field ? (typeOf(field).fromText(cell) as Value) : cell;
      }
      records.push(record);
    }
  }
  return { records, wrong };
}
