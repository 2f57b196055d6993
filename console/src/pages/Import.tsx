import { Button, Input, Select, Table } from 'antd';
import { useState, type DragEvent } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import { type ImportedRow, type ImportFault } from '@zpine/contract/importRoutes';
import { fieldsOf } from '@zpine/contract/kind';
import { isKind, kindNames, kindOf, type KindName } from '@zpine/contract/kinds';
import { type ReplyOf } from '@zpine/contract/routes';
import { client, problemOf } from '../api.ts';
import { useAttempt } from '../look/attempt.tsx';
import { inSentence } from '../look/words.ts';
import { Page } from '../look/Page.tsx';
import { listPath } from '../records/paths.ts';

type Outcome = ReplyOf<'import.run'>;

const SEVERAL = 'several';

/** Takes in a file that is dropped, or a list that is pasted: what would come of it first, then all rows or none. */
export default function Import() {
  const attempt = useAttempt();
  const navigate = useNavigate();
  const [params, setParams] = useSearchParams();
  const asked = params.get('kind') ?? '';
  const kind = isKind(asked) ? asked : undefined;
  const [text, setText] = useState('');
  const [columns, setColumns] = useState<Record<string, string | null>>({});
  const [outcome, setOutcome] = useState<Outcome>();
  const [refused, setRefused] = useState<string>();
  const [busy, setBusy] = useState(false);

  const look = async (source: string, mapped = columns, of: KindName | undefined = kind) => {
    setText(source);
    if (source.trim() === '') return setOutcome(undefined);
    setBusy(true);
    try {
      setOutcome(
        await client.call('import.run', { body: { text: source, columns: mapped, ...(of ? { kind: of } : {}) } }),
      );
      setRefused(undefined);
    } catch (error) {
      setRefused(problemOf(error).detail);
    } finally {
      setBusy(false);
    }
  };
  const save = () =>
    void attempt(async () => {
      const done = await client.call('import.run', { body: { text, columns, apply: true, ...(kind ? { kind } : {}) } });
      setOutcome(done);
      if (!done.applied) throw new Error('something changed meanwhile: look at the faults');
      void navigate(kind ? listPath(kind) : '/history');
      return `${done.counts.add} added, ${done.counts.edit} edited`;
    });
  const drop = async (event: DragEvent) => {
    event.preventDefault();
    const [file] = event.dataTransfer.files;
    if (file) await look(await textOf(file));
  };
  const changes = outcome ? outcome.counts.add + outcome.counts.edit : 0;
  const ready = outcome !== undefined && outcome.faults.length === 0 && changes > 0;
  return (
    <Page
      title="Import"
      sentence="CSV, YAML or JSON, dropped or pasted. Nothing is saved before you have seen what would come of it."
      actions={
        <Button type="primary" disabled={!ready} loading={busy} onClick={save}>
          {ready ? `Save ${changes} change${changes === 1 ? '' : 's'}` : 'Save'}
        </Button>
      }
    >
      <div className="toolbar">
        <label htmlFor="import-kind">Rows are</label>
        <Select
          id="import-kind"
          style={{ width: 220 }}
          showSearch
          value={kind ?? SEVERAL}
          options={[
            { value: SEVERAL, label: 'said in the text' },
            ...kindNames.map((name) => ({ value: name, label: inSentence(kindOf(name).titles) })),
          ]}
          onChange={(next: string) => {
            setParams(next === SEVERAL ? {} : { kind: next }, { replace: true });
            void look(text, columns, isKind(next) ? next : undefined);
          }}
        />
        {kind && <Button onClick={() => void look(exampleOf(kind))}>An example</Button>}
        {kind && (
          <Button
            onClick={() =>
              void attempt(async () => {
                const { text: all, records } = await client.call('export.run', { query: { kinds: kind, as: 'csv' } });
                download(`${kind}.csv`, all);
                return `${records} records in ${kind}.csv`;
              })
            }
          >
            Export all as CSV
          </Button>
        )}
      </div>
      <div onDragOver={(event) => event.preventDefault()} onDrop={(event) => void drop(event)}>
        <Input.TextArea
          aria-label="Text"
          className="mono"
          spellCheck={false}
          autoSize={{ minRows: 6, maxRows: 14 }}
          placeholder={
            'Drop a file here, or paste a list.\n\nname,site,duty,model\nske-acc-2,ske,access,larkfield/lf-24'
          }
          value={text}
          onChange={(event) => void look(event.target.value)}
        />
      </div>
      {refused && <div className="refused">{refused}</div>}
      {outcome && (
        <>
          <Heads
            outcome={outcome}
            kind={kind}
            onMap={(next) => (setColumns(next), void look(text, next))}
            columns={columns}
          />
          <Summary outcome={outcome} />
          {outcome.faults.length > 0 ? <Faults faults={outcome.faults} /> : <Changes items={outcome.items} />}
        </>
      )}
    </Page>
  );
}

/** UTF-8, or what spreadsheets on some desks still write. */
async function textOf(file: File): Promise<string> {
  const bytes = await file.arrayBuffer();
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    return new TextDecoder('windows-1252').decode(bytes);
  }
}

function download(name: string, text: string): void {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(new Blob([text], { type: 'text/csv' }));
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}

/** The fields that have an example, as a table with one row. */
function exampleOf(kind: KindName): string {
  const k = kindOf(kind);
  const shown = fieldsOf(k).filter(
    ([name, field]) => !field.derived && !field.byVerb && (field.example !== undefined || k.key.parts.includes(name)),
  );
  return `${shown.map(([name]) => name).join(',')}\n${shown.map(([, field]) => (field.example ?? '').replaceAll(',', ' ')).join(',')}\n`;
}

function Summary({ outcome: { counts, faults, rows } }: { outcome: Outcome }) {
  const words = [
    counts.add > 0 && `${counts.add} would be added`,
    counts.edit > 0 && `${counts.edit} would be edited`,
    counts.same > 0 && `${counts.same} stay as they are`,
  ].filter(Boolean);
  return (
    <h2 className="section-title">
      {faults.length > 0
        ? `${faults.length} fault${faults.length === 1 ? '' : 's'}`
        : words.join(', ') || 'Nothing to do'}
      <span className="second">
        {rows} row{rows === 1 ? '' : 's'}
        {faults.length > 0 && ', nothing can be saved before they are mended'}
      </span>
    </h2>
  );
}

function Faults({ faults }: { faults: ImportFault[] }) {
  return (
    <Table<ImportFault>
      size="small"
      rowKey={(f) => `${f.kind} ${f.row} ${f.column} ${f.detail}`}
      pagination={false}
      dataSource={faults}
      columns={[
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
  value === null || value === undefined ? 'empty' : typeof value === 'string' ? value : JSON.stringify(value);

function Changes({ items }: { items: ImportedRow[] }) {
  if (items.length === 0) return null;
  return (
    <Table<ImportedRow>
      size="small"
      rowKey={(i) => `${i.kind} ${i.key}`}
      pagination={{ pageSize: 50, hideOnSinglePage: true }}
      dataSource={items}
      columns={[
        { title: 'Row', dataIndex: 'row', align: 'right', width: 60 },
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

interface HeadsProps {
  outcome: Outcome;
  kind: KindName | undefined;
  columns: Record<string, string | null>;
  onMap: (columns: Record<string, string | null>) => void;
}

const LEFT_OUT = 'left out';

/** Columns whose heads fit no field: each can be given one, or left out. */
function Heads({ outcome, kind, columns, onMap }: HeadsProps) {
  const unknown = outcome.faults.filter((f) => f.code === 'import-header').map((f) => f.column ?? '');
  const open = [...new Set([...unknown, ...Object.keys(columns)])];
  if (!kind || open.length === 0) return null;
  const choices = fieldsOf(kindOf(kind)).filter(([, field]) => !field.derived);
  return (
    <div className="toolbar" style={{ marginTop: 12, flexWrap: 'wrap' }}>
      {open.map((column) => (
        <label key={column}>
          <span className="mono">{column}</span>{' '}
          <Select
            aria-label={`Field of ${column}`}
            style={{ width: 180 }}
            placeholder="is which field?"
            value={Object.hasOwn(columns, column) ? (columns[column] ?? LEFT_OUT) : undefined}
            options={[
              { value: LEFT_OUT, label: LEFT_OUT },
              ...choices.map(([name, field]) => ({ value: name, label: field.title })),
            ]}
            onChange={(field: string) => onMap({ ...columns, [column]: field === LEFT_OUT ? null : field })}
          />
        </label>
      ))}
    </div>
  );
}
