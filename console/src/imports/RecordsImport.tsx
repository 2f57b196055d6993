import { Button, Input, Select } from 'antd';
import { useState, type DragEvent } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import { importKinds, isImportKind, type ImportKind, type ImportOutcome } from '@zpine/contract/importRoutes';
import { kindOf } from '@zpine/contract/kinds';
import { client, problemOf } from '../api.ts';
import { Impact } from '../impact/Impact.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { inSentence } from '../look/words.ts';
import { listPath } from '../records/paths.ts';
import { download, LARGE_BYTES, textOf } from './files.ts';
import { Heads, type Columns } from './Heads.tsx';
import { LargeImport } from './LargeImport.tsx';
import { Outcome } from './Outcome.tsx';

const SEVERAL = 'several';

interface Named {
  name: string;
  text: string;
  kind?: ImportKind;
}

const titleOf = (kind: ImportKind): string =>
  kind === 'value' ? 'values of settings' : inSentence(kindOf(kind).titles);

/** Takes in files that are dropped, or a table that is pasted: what would come of it first, then all rows or none. */
export function RecordsImport() {
  const attempt = useAttempt();
  const navigate = useNavigate();
  const [params, setParams] = useSearchParams();
  const asked = params.get('kind') ?? '';
  const kind = isImportKind(asked) ? asked : undefined;
  const [text, setText] = useState('');
  const [files, setFiles] = useState<Named[]>([]);
  const [columns, setColumns] = useState<Columns>({});
  const [outcome, setOutcome] = useState<ImportOutcome>();
  const [refused, setRefused] = useState<string>();
  const [busy, setBusy] = useState(false);
  const upload = Number(params.get('upload') ?? 0);

  const bodyOf = (source: string, several: Named[], mapped: Columns, of: ImportKind | undefined) => ({
    ...(several.length > 0 ? { files: several } : { text: source }),
    columns: mapped,
    ...(of ? { kind: of } : {}),
  });
  const look = async (source: string, several = files, mapped = columns, of = kind) => {
    setText(source);
    setFiles(several);
    if (source.trim() === '' && several.length === 0) return setOutcome(undefined);
    setBusy(true);
    try {
      setOutcome(await client.call('import.run', { body: bodyOf(source, several, mapped, of) }));
      setRefused(undefined);
    } catch (error) {
      setRefused(problemOf(error).detail);
    } finally {
      setBusy(false);
    }
  };
  const send = (by = client) => by.call('import.run', { body: { ...bodyOf(text, files, columns, kind), apply: true } });
  const save = () =>
    void attempt(async () => {
      const done = await send();
      setOutcome(done);
      if (!done.applied) throw new Error('something changed meanwhile: look at the faults');
      void navigate(kind && kind !== 'value' ? listPath(kind) : '/history');
      return `${done.counts.add} added, ${done.counts.edit} edited`;
    });
  const drop = async (event: DragEvent) => {
    event.preventDefault();
    const dropped = [...event.dataTransfer.files];
    const [file] = dropped;
    if (!file) return;
    if (dropped.length > 1) {
      const named = await Promise.all(
        dropped.map(async (one) => ({ ...kindIn(one.name), name: one.name, text: await textOf(one) })),
      );
      return look('', named);
    }
    if (file.size <= LARGE_BYTES) return look(await textOf(file), []);
    setBusy(true);
    try {
      const query = {
        name: file.name,
        ...(kind ? { kind } : {}),
        ...(Object.keys(columns).length > 0 ? { columns: JSON.stringify(columns) } : {}),
      };
      const sent = await client.upload(query, file);
      setParams({ ...(kind ? { kind } : {}), upload: String(sent.id) }, { replace: true });
      setRefused(undefined);
    } catch (error) {
      setRefused(problemOf(error).detail);
    } finally {
      setBusy(false);
    }
  };
  const changes = outcome ? outcome.counts.add + outcome.counts.edit : 0;
  const ready = outcome !== undefined && outcome.faults.length === 0 && changes > 0;
  if (upload > 0) return <LargeImport id={upload} onClose={() => setParams(kind ? { kind } : {}, { replace: true })} />;
  return (
    <>
      <div className="toolbar">
        <label htmlFor="import-kind">Rows are</label>
        <Select
          id="import-kind"
          style={{ width: 220 }}
          showSearch
          value={kind ?? SEVERAL}
          options={[
            { value: SEVERAL, label: 'said in the text' },
            ...importKinds.map((name) => ({ value: name, label: titleOf(name) })),
          ]}
          onChange={(next: string) => {
            setParams(next === SEVERAL ? {} : { kind: next }, { replace: true });
            void look(text, files, columns, isImportKind(next) ? next : undefined);
          }}
        />
        {kind && (
          <>
            <Button
              onClick={() =>
                void attempt(async () => {
                  await look((await client.call('import.example', { params: { kind } })).text, []);
                  return 'an example, to begin with';
                })
              }
            >
              An example
            </Button>
            <Button
              onClick={() =>
                void attempt(async () => {
                  const { text: all, records } = await client.call('export.run', { query: { kinds: kind, as: 'csv' } });
                  download(`${kind}.csv`, all);
                  return `${records} in ${kind}.csv`;
                })
              }
            >
              Export all as CSV
            </Button>
          </>
        )}
        <span className="spacer" />
        <Button type="primary" disabled={!ready} loading={busy} onClick={save}>
          {ready ? `Save ${changes} change${changes === 1 ? '' : 's'}` : 'Save'}
        </Button>
      </div>
      <div onDragOver={(event) => event.preventDefault()} onDrop={(event) => void drop(event)}>
        {files.length > 0 ? (
          <div className="panel">
            <div className="body toolbar" style={{ marginBottom: 0 }}>
              <span className="mono">{files.map((one) => one.name).join(', ')}</span>
              <span className="spacer" />
              <Button onClick={() => void look('', [])}>Other files</Button>
            </div>
          </div>
        ) : (
          <Input.TextArea
            aria-label="Text"
            className="mono"
            spellCheck={false}
            autoSize={{ minRows: 6, maxRows: 14 }}
            placeholder={
              'Drop a file or several, or paste a table.\n\nname,site,duty,model\nske-acc-2,ske,access,larkfield/lf-24'
            }
            value={text}
            onChange={(event) => void look(event.target.value, [])}
          />
        )}
      </div>
      {refused && <div className="refused">{refused}</div>}
      {outcome && (
        <>
          {kind && kind !== 'value' && (
            <Heads
              outcome={outcome}
              kind={kind}
              columns={columns}
              onMap={(next) => (setColumns(next), void look(text, files, next))}
            />
          )}
          {ready && <Impact write={send} asked={[text, files, columns, kind]} />}
          <Outcome outcome={outcome} />
        </>
      )}
    </>
  );
}

/** A CSV among several files is of the kind that it is named after. */
function kindIn(name: string): { kind?: ImportKind } {
  const stem = name.replace(/\.csv$/i, '').toLowerCase();
  const found = importKinds.find((one) => one === stem || (one !== 'value' && kindOf(one).path === stem));
  return found && /\.csv$/i.test(name) ? { kind: found } : {};
}
