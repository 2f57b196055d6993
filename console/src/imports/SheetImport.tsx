import { Button, Input, Table } from 'antd';
import { useState, type DragEvent } from 'react';
import { Link } from 'react-router';
import type { SheetFault } from '@zpine/contract/hardwareRoutes';
import type { ReplyOf } from '@zpine/contract/routes';
import { client, problemOf } from '../api.ts';
import { Impact } from '../impact/Impact.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { pathOf } from '../records/paths.ts';
import { textOf } from './files.ts';

type Read = ReplyOf<'sheet.read'>;
interface Sheet {
  name: string;
  text: string;
}

const example = `vendor: larkfield
name: lf-8
title: LF-8
heightU: 1
depth: half
ports:
  - { names: '1/{1..8}', kind: 1000base-t }
  - { names: con, kind: console }`;

/** Models as sheets, dropped or pasted: what would come of them first, every fault with its line. */
export function Sheets() {
  const attempt = useAttempt();
  const [sheets, setSheets] = useState<Sheet[]>([]);
  const [seen, setSeen] = useState<Read>();
  const [refused, setRefused] = useState<string>();
  const typed = sheets.length === 1 && sheets[0]?.name === 'sheet' ? sheets[0].text : '';
  const look = async (next: Sheet[]) => {
    setSheets(next);
    setRefused(undefined);
    if (next.every((sheet) => sheet.text.trim() === '')) return setSeen(undefined);
    try {
      setSeen(await client.call('sheet.read', { body: { sheets: next } }));
    } catch (error) {
      setRefused(problemOf(error).detail);
    }
  };
  const drop = async (event: DragEvent) => {
    event.preventDefault();
    const files = [...event.dataTransfer.files];
    await look(await Promise.all(files.map(async (file) => ({ name: file.name, text: await textOf(file) }))));
  };
  const send = (by = client) => by.call('sheet.read', { body: { sheets, apply: true } });
  const save = () =>
    void attempt(async () => {
      const done = await send();
      setSeen(done);
      if (!done.applied) throw new Error('something changed meanwhile: look at the faults');
      return `${done.counts.add} added, ${done.counts.edit} edited`;
    });
  const changes = seen ? seen.counts.add + seen.counts.edit : 0;
  const ready = seen !== undefined && !seen.applied && seen.faults.length === 0 && changes > 0;
  return (
    <>
      <div className="toolbar">
        <Button onClick={() => void look([{ name: 'sheet', text: example }])}>An example</Button>
        <span className="spacer" />
        <Button type="primary" disabled={!ready} onClick={save}>
          {ready ? `Save ${changes} model${changes === 1 ? '' : 's'}` : 'Save'}
        </Button>
      </div>
      <div onDragOver={(event) => event.preventDefault()} onDrop={(event) => void drop(event)}>
        {sheets.length > 0 && typed === '' && sheets[0]?.name !== 'sheet' ? (
          <div className="panel">
            <div className="body toolbar" style={{ marginBottom: 0 }}>
              <span className="mono">{sheets.map((one) => one.name).join(', ')}</span>
              <span className="spacer" />
              <Button onClick={() => void look([])}>Other sheets</Button>
            </div>
          </div>
        ) : (
          <Input.TextArea
            aria-label="Text of the sheet"
            className="mono"
            spellCheck={false}
            autoSize={{ minRows: 8, maxRows: 18 }}
            placeholder={`Drop sheets, or paste one.\n\n${example}`}
            value={typed}
            onChange={(event) => void look([{ name: 'sheet', text: event.target.value }])}
          />
        )}
      </div>
      {refused && <div className="refused">{refused}</div>}
      {ready && <Impact write={send} asked={sheets} />}
      {seen && (seen.faults.length > 0 ? <Faults faults={seen.faults} /> : <Models seen={seen} />)}
    </>
  );
}

function Faults({ faults }: { faults: SheetFault[] }) {
  return (
    <>
      <h2 className="section-title">
        {faults.length} fault{faults.length === 1 ? '' : 's'}
        <span className="second">nothing can be saved before they are mended</span>
      </h2>
      <Table<SheetFault>
        size="small"
        rowKey={(f) => `${f.file} ${f.line} ${f.column} ${f.at} ${f.detail}`}
        pagination={{ pageSize: 50, hideOnSinglePage: true }}
        dataSource={faults}
        columns={[
          {
            title: 'Line',
            render: (_, f) => (
              <span className="mono nowrap">
                {f.file === 'sheet' ? '' : `${f.file}:`}
                {f.line}:{f.column}
              </span>
            ),
          },
          { title: 'Key', render: (_, f) => <span className="mono">{f.at}</span> },
          { title: 'Value', render: (_, f) => <span className="mono">{f.value}</span> },
          { title: 'What is wrong', dataIndex: 'detail' },
          { title: 'Remedy', dataIndex: 'remedy' },
        ]}
      />
    </>
  );
}

function Models({ seen }: { seen: Read }) {
  const words = [
    seen.counts.add > 0 && `${seen.counts.add} ${seen.applied ? 'added' : 'would be added'}`,
    seen.counts.edit > 0 && `${seen.counts.edit} ${seen.applied ? 'edited' : 'would be edited'}`,
    seen.counts.same > 0 && `${seen.counts.same} as they were`,
  ].filter(Boolean);
  return (
    <>
      <h2 className="section-title">
        {words.join(', ') || 'Nothing to do'}
        {seen.vendors.length > 0 && <span className="second">with the vendor {seen.vendors.join(', ')}</span>}
      </h2>
      {seen.differing > 0 && (
        <p>
          {seen.differing} device{seen.differing === 1 ? '' : 's'} will differ from a changed model; its page shows
          which, and brings them along.
        </p>
      )}
      {seen.models.map((model) => (
        <p key={model.key}>
          {model.action}{' '}
          {seen.applied ? (
            <Link className="mono" to={pathOf('model', model.key)}>
              {model.key}
            </Link>
          ) : (
            <span className="mono">{model.key}</span>
          )}{' '}
          <span className="second">{model.changes.map((c) => c.field).join(', ')}</span>
        </p>
      ))}
    </>
  );
}
