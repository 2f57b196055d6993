import { linter, type Diagnostic } from '@codemirror/lint';
import { EditorView } from '@codemirror/view';
import { useQuery } from '@tanstack/react-query';
import CodeMirror, { type ReactCodeMirrorRef } from '@uiw/react-codemirror';
import { Button } from 'antd';
import { useEffect, useMemo, useRef, useState } from 'react';
import { useSearchParams } from 'react-router';
import { readPlaces } from '@zpine/core/config/filing';
import type { ShownTemplateFault } from '@zpine/contract/onboardingShapes';
import { client, keys, problemOf } from '../api.ts';
import type { AnyRecord } from '@zpine/contract/kind';
import { ConfigText } from '../devices/ConfigText.tsx';
import { Impact } from '../impact/Impact.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { Page } from '../look/Page.tsx';
import { RecordActions } from '../records/RecordActions.tsx';
import { RecordHistory } from '../records/RecordHistory.tsx';
import { RefInput } from '../records/RefInput.tsx';
import { Refused } from '../records/Refused.tsx';
import { crumbsOf } from '../records/words.ts';
import { useMay } from '../session.tsx';
import { templateLanguage } from '../templates/language.ts';

const TRY_MS = 350;

/** Gives a value on, once it has rested for a while. */
function useRested<T>(value: T, ms: number): T {
  const [rested, setRested] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setRested(value), ms);
    return () => clearTimeout(timer);
  }, [value, ms]);
  return rested;
}

/** A template with its faults, and what it makes of a device, while it is typed. */
export default function TemplatePage({ name }: { name: string }) {
  const found = useQuery({ queryKey: keys.record('template', name), queryFn: () => client.show('template', name) });
  if (found.isError) return <Refused title={name} error={found.error} back="/templates" />;
  if (!found.data) return <Page title={name} mono children={null} />;
  return <Editor key={found.data.id} record={found.data} />;
}

function Editor({ record }: { record: AnyRecord }) {
  const attempt = useAttempt();
  const may = useMay('engineer');
  const [params] = useSearchParams();
  const editor = useRef<ReactCodeMirrorRef>(null);
  const stored = String(record.source);
  const [source, setSource] = useState(stored);
  const [device, setDevice] = useState<string | null>(null);
  const dirty = source !== stored;
  const rested = useRested(source, TRY_MS);
  const tried = useQuery({
    queryKey: keys.worked('try', record.key, rested, device),
    queryFn: () =>
      client.call('template.try', {
        body: { template: record.key, source: rested, ...(device === null || record.fragment ? {} : { device }) },
      }),
    enabled: may,
    placeholderData: (before) => before,
  });
  const faults = tried.data?.faults ?? [];
  const own = faults.filter((f) => f.template === record.key);
  const extensions = useMemo(
    () => [
      ...templateLanguage,
      EditorView.lineWrapping,
      linter((view) => own.flatMap((f) => diagnosticOf(view, f)), { delay: 0 }),
    ],
    [JSON.stringify(own)],
  );
  const line = Number(params.get('line') ?? 0);
  const goTo = (n: number) => {
    const view = editor.current?.view;
    if (!view || n < 1 || n > view.state.doc.lines) return;
    const { from } = view.state.doc.line(n);
    view.dispatch({ selection: { anchor: from }, effects: EditorView.scrollIntoView(from, { y: 'center' }) });
    view.focus();
  };
  const send = (by = client) => by.edit('template', `#${record.id}`, { source }, { version: record.version });
  const save = () =>
    void attempt(async () => {
      const saved = await send();
      return `${saved.key} is saved as version ${saved.version}`;
    });
  const matches = [record.dialect, record.model, record.duty].filter(Boolean).map(String);
  return (
    <Page
      title={record.key}
      mono
      crumbs={crumbsOf('template', record)}
      sentence={
        <>
          version {record.version}
          {dirty && ', unsaved'} ·{' '}
          {record.fragment ? 'a fragment' : matches.length > 0 ? `for ${matches.join(', ')}` : 'for every device'} ·{' '}
          {faults.length === 0 ? 'no faults' : `${faults.length} fault${faults.length === 1 ? '' : 's'}`}
        </>
      }
      actions={
        <RecordActions
          kind="template"
          record={record}
          primary={
            may && (
              <Button type="primary" disabled={!dirty} onClick={save}>
                Save
              </Button>
            )
          }
        />
      }
    >
      <div className="editing">
        <div className="panel">
          <CodeMirror
            ref={editor}
            value={source}
            height="540px"
            editable={may}
            basicSetup={{ foldGutter: false, autocompletion: false, highlightActiveLine: true }}
            theme="none"
            extensions={extensions}
            onChange={setSource}
            onCreateEditor={() => setTimeout(() => goTo(line), 0)}
          />
          <Places files={record.files} />
          {faults.length > 0 && (
            <ul className="faults" aria-label="Faults">
              {faults.map((f) => (
                <li key={`${f.template} ${f.line} ${f.column} ${f.message}`}>
                  <button type="button" onClick={() => f.template === record.key && goTo(f.line)}>
                    <b className="mono">
                      {f.template === record.key ? '' : `${f.template} `}
                      {f.line}:{f.column}
                    </b>{' '}
                    {f.message}
                    {f.hint && <span className="second">; {f.hint}</span>}
                  </button>
                </li>
              ))}
            </ul>
          )}
        </div>
        <div>
          {record.fragment ? (
            <p className="hint">A fragment shows in the templates that insert it.</p>
          ) : (
            <>
              <div className="toolbar">
                <label htmlFor="preview-device">Preview for</label>
                <div style={{ minWidth: 220 }}>
                  <RefInput id="preview-device" kind="device" value={device} onChange={(v) => setDevice(v)} />
                </div>
              </div>
              {tried.isError && <div className="refused">{problemOf(tried.error).detail}</div>}
              {device === null && (
                <p className="hint">Choose a device to see its configuration as this text would make it.</p>
              )}
              {device !== null && tried.data?.files?.map((file) => <ConfigText key={file.name} file={file} />)}
            </>
          )}
          {may && dirty && <Impact write={send} asked={source} />}
          <RecordHistory kind="template" id={record.id} />
        </div>
      </div>
    </Page>
  );
}

/** A fault as the editor underlines it: from its column to the end of the word. */
function diagnosticOf(view: EditorView, fault: ShownTemplateFault): Diagnostic[] {
  if (fault.line > view.state.doc.lines) return [];
  const line = view.state.doc.line(fault.line);
  const from = Math.min(line.to, line.from + fault.column - 1);
  const word = /^[\w@{.]+/.exec(line.text.slice(fault.column - 1))?.[0].length ?? 1;
  return [
    {
      from,
      to: Math.min(line.to, Math.max(from + 1, from + word)),
      severity: 'error',
      message: fault.hint ? `${fault.message}; ${fault.hint}` : fault.message,
    },
  ];
}

/** Where its outputs go on a host. */
function Places({ files }: { files: unknown }) {
  const { places } = readPlaces(files);
  if (places.length === 0) return null;
  return (
    <table className="plain-table" aria-label="Files">
      <tbody>
        {places.map(({ output, path, owner, mode, changed }) => (
          <tr key={output}>
            <td className="mono">{output}</td>
            <td className="mono">{path}</td>
            <td className="mono second">{[owner, mode].filter(Boolean).join(' ')}</td>
            <td className="second">
              {changed !== null && (
                <>
                  then <span className="mono">{changed}</span>
                </>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
