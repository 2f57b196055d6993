import { Button, Input, InputNumber } from 'antd';
import { useEffect, useRef, useState, type ReactNode } from 'react';
import { useNavigate } from 'react-router';
import type { Client } from '@zpine/contract/client';
import type { ImportOutcome } from '@zpine/contract/importRoutes';
import type { KindName } from '@zpine/contract/kinds';
import { client, problemOf } from '../api.ts';
import { Impact } from '../impact/Impact.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { LabelsInput } from '../records/Labels.tsx';
import { RefInput } from '../records/RefInput.tsx';
import { WhereInput } from '../records/WhereInput.tsx';
import { textOf } from './files.ts';
import { Meanings, type ListWords } from './Meanings.tsx';
import { Outcome } from './Outcome.tsx';

type Options = Record<string, string | number | Record<string, string> | undefined>;

type Set = (name: string, value: string | number | Record<string, string> | null) => void;

interface ListProps {
  /** Sends what was pasted, with what is said once for all. */
  send: (by: Client, text: string, options: Options, apply: boolean) => Promise<ImportOutcome>;
  placeholder: string;
  to: string;
  fields: (options: Options, set: Set) => ReactNode;
  /** What is shown of an answer above what would come of it. */
  above?: (outcome: ImportOutcome, options: Options, set: Set) => ReactNode;
}

/** A list with what holds for all of it beside; what would come of it is shown as it grows. */
function ListImport({ send, placeholder, to, fields, above }: ListProps) {
  const attempt = useAttempt();
  const navigate = useNavigate();
  const [text, setText] = useState('');
  const [options, setOptions] = useState<Options>({});
  const [outcome, setOutcome] = useState<ImportOutcome>();
  const [refused, setRefused] = useState<string>();
  const asked = useRef(0);
  useEffect(() => {
    if (text.trim() === '') return setOutcome(undefined);
    const timer = setTimeout(() => {
      const turn = (asked.current += 1);
      send(client, text, options, false)
        .then((seen) => {
          // An answer that was overtaken is of no interest any more.
          if (turn !== asked.current) return;
          setOutcome(seen);
          setRefused(undefined);
        })
        .catch((error: unknown) => {
          const { detail, remedy } = problemOf(error);
          if (turn === asked.current) setRefused(remedy ? `${detail}. ${remedy}` : detail);
        });
    }, 250);
    return () => clearTimeout(timer);
  }, [text, options, send]);
  const set: Set = (name, value) =>
    setOptions((before) => ({ ...before, [name]: value === null || value === '' ? undefined : value }));
  const changes = outcome ? outcome.counts.add + outcome.counts.edit : 0;
  const ready = outcome !== undefined && outcome.faults.length === 0 && changes > 0;
  const save = () =>
    void attempt(async () => {
      const done = await send(client, text, options, true);
      setOutcome(done);
      if (!done.applied) throw new Error('something changed meanwhile: look at the faults');
      void navigate(to);
      return `${done.counts.add} added, ${done.counts.edit} edited`;
    });
  return (
    <>
      <div className="columns">
        <div
          onDragOver={(event) => event.preventDefault()}
          onDrop={(event) => {
            event.preventDefault();
            const [file] = event.dataTransfer.files;
            if (file) void textOf(file).then(setText);
          }}
        >
          <Input.TextArea
            aria-label="List"
            className="mono"
            autoFocus
            spellCheck={false}
            autoSize={{ minRows: 8, maxRows: 14 }}
            placeholder={placeholder}
            value={text}
            onChange={(event) => setText(event.target.value)}
          />
          {refused && (
            <div className="refused" role="alert" style={{ whiteSpace: 'pre-wrap' }}>
              {refused}
            </div>
          )}
          {outcome && above?.(outcome, options, set)}
          {ready && <Impact write={(by) => send(by, text, options, true)} asked={[text, options]} />}
          {outcome && <Outcome outcome={outcome} />}
        </div>
        <section className="panel" aria-label="For all of them">
          <h2>For all of them</h2>
          <div className="body form">
            {fields(options, set)}
            <div style={{ marginTop: 16 }}>
              <Button type="primary" disabled={!ready} onClick={save}>
                {ready ? `Save ${changes} change${changes === 1 ? '' : 's'}` : 'Save'}
              </Button>
            </div>
          </div>
        </section>
      </div>
    </>
  );
}

function Ref({ kind, title, options, set }: { kind: KindName; title: string; options: Options; set: Set }) {
  return (
    <>
      <label htmlFor={`list-${kind}`}>{title}</label>
      <RefInput
        id={`list-${kind}`}
        kind={kind}
        value={(options[kind] as string | undefined) ?? null}
        placeholder="may be left open"
        onChange={(key) => set(kind, key)}
      />
    </>
  );
}

function Line({
  name,
  title,
  hint,
  options,
  set,
  secret,
}: {
  name: string;
  title: string;
  hint?: string;
  options: Options;
  set: Set;
  secret?: boolean;
}) {
  const Field = secret ? Input.Password : Input;
  return (
    <>
      <label htmlFor={`list-${name}`}>{title}</label>
      <Field
        id={`list-${name}`}
        autoComplete="off"
        placeholder={hint}
        value={(options[name] as string | undefined) ?? ''}
        onChange={(event) => set(name, event.target.value)}
      />
    </>
  );
}

const words = (options: Options): string[] =>
  String(options.labels ?? '')
    .split(',')
    .filter(Boolean);

const sendScans = (by: Client, text: string, options: Options, apply: boolean) =>
  by.call('import.scan', { body: { text, ...(options as object), apply } });
const sendHosts = (by: Client, text: string, options: Options, apply: boolean) =>
  by.call('import.paste', { body: { text, ...(options as object), apply } });

/** Scans of a barcode reader: boxes in stock, or fitted to devices that wait for one. */
export function Scans() {
  return (
    <ListImport
      send={sendScans}
      to="/boxes"
      placeholder={
        'One scan a line: serial, MAC, model, as the stickers have them.\n\nLF-24\nLF24-0301-01\n0000.5e00.53d1\nLF24-0301-02\n0000.5e00.53d2'
      }
      fields={(options, set) => (
        <>
          <Ref kind="model" title="Model, where it was not scanned" options={options} set={set} />
          <Line name="whereabouts" title="Where they lie" hint="cupboard at HAR" options={options} set={set} />
          <label htmlFor="list-labels">Labels</label>
          <LabelsInput
            id="list-labels"
            kind="box"
            value={words(options)}
            placeholder="none"
            onChange={(next) => set('labels', next.join(','))}
          />
          <label>Fit them to devices without a box</label>
          <WhereInput
            kind="device"
            width="100%"
            ariaLabel="Fit them to"
            placeholder="into stock; or site=ske duty=access"
            value={(options.where as string | undefined) ?? ''}
            onChange={(text) => set('where', text)}
          />
          <p className="hint">In the order of their names, each a box of its model.</p>
        </>
      )}
    />
  );
}

/** Names and addresses of what runs already: devices that are unproved until their state was read back. */
export function Hosts() {
  return (
    <ListImport
      send={sendHosts}
      to="/devices?stage=unproved"
      above={(outcome, options, set) => (
        <Meanings
          read={outcome as ImportOutcome & ListWords}
          said={(options.means as Record<string, string> | undefined) ?? {}}
          onSay={(means) => set('means', means)}
        />
      )}
      placeholder={
        'A hosts file, a table from a spreadsheet, bare addresses, or groups of hosts in INI or YAML.\n\n10.90.1.5  old-sw-1.brackwater.example old-sw-1\nold-sw-2, 10.90.1.6'
      }
      fields={(options, set) => (
        <>
          <Ref kind="dialect" title="Dialect" options={options} set={set} />
          <Line name="user" title="User to sign in by" options={options} set={set} />
          <Line name="password" title="Password on the devices" secret options={options} set={set} />
          <label htmlFor="list-port">SSH port</label>
          <InputNumber
            id="list-port"
            min={1}
            max={65535}
            placeholder="22"
            value={(options.port as number | undefined) ?? null}
            onChange={(port) => set('port', port)}
          />
          <Line name="label" title="Label that carries the login" hint="one is made" options={options} set={set} />
          <Ref kind="site" title="Site" options={options} set={set} />
          <Ref kind="duty" title="Duty" options={options} set={set} />
        </>
      )}
    />
  );
}
