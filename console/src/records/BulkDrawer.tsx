import { Button, Drawer, Input, Select } from 'antd';
import { useState } from 'react';
import type { BulkReply } from '@zpine/contract/bulkRoutes';
import { typeOf, type Value } from '@zpine/contract/fields';
import { fieldsOf } from '@zpine/contract/kind';
import { kindOf, type KindName } from '@zpine/contract/kinds';
import { client, problemOf } from '../api.ts';
import { Impact } from '../impact/Impact.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { inSentence } from '../look/words.ts';
import { FieldInput } from './FieldInput.tsx';
import { LabelsInput } from './Labels.tsx';

interface Props {
  kind: KindName;
  /** Which records: those that were ticked, or all that a selection lets through. */
  which: { refs: string[] } | { where: string };
  count: number;
  onClose: () => void;
  onDone: () => void;
}

const text = (value: unknown): string =>
  value === null || value === undefined
    ? 'empty'
    : Array.isArray(value)
      ? value.join(', ')
      : typeof value === 'string'
        ? value
        : JSON.stringify(value);

/** The same change for many: fields are chosen one by one, so that none is changed unawares. */
export function BulkDrawer({ kind, which, count, onClose, onDone }: Props) {
  const k = kindOf(kind);
  const attempt = useAttempt();
  const [changes, setChanges] = useState<Record<string, Value>>({});
  const [addLabels, setAdd] = useState<string[]>([]);
  const [dropLabels, setDrop] = useState<string[]>([]);
  const [reason, setReason] = useState('');
  const [seen, setSeen] = useState<BulkReply>();
  const [refused, setRefused] = useState<string>();
  const [busy, setBusy] = useState(false);
  const fields = fieldsOf(k).filter(
    ([name, field]) =>
      !field.derived &&
      !field.byVerb &&
      !field.unique &&
      !field.fixed &&
      field.type !== 'labels' &&
      !(k.key.parts.includes(name) && field.type !== 'ref'),
  );
  const body = { ...which, changes, addLabels, dropLabels };
  const something = Object.keys(changes).length + addLabels.length + dropLabels.length > 0;
  const change = (work: () => void) => {
    work();
    setSeen(undefined);
  };
  const look = async () => {
    setBusy(true);
    try {
      setSeen(await client.editMany(kind, body));
      setRefused(undefined);
    } catch (error) {
      const { detail, remedy } = problemOf(error);
      setRefused(remedy ? `${detail}. ${remedy}` : detail);
    } finally {
      setBusy(false);
    }
  };
  const send = (by = client) =>
    by.editMany(kind, { ...body, expect: seen?.count, apply: true }, reason ? { reason } : {});
  const save = () =>
    void attempt(async () => {
      const done = await send();
      if (!done.applied) {
        setSeen(done);
        throw new Error('something changed meanwhile: look at the faults');
      }
      onDone();
      return `${done.changed} ${inSentence(done.changed === 1 ? k.title : k.titles)} edited`;
    });
  const ready = seen !== undefined && seen.faults.length === 0 && seen.changed > 0;
  return (
    <Drawer
      open
      size={560}
      title={`Edit ${count} ${inSentence(count === 1 ? k.title : k.titles)}`}
      onClose={onClose}
      footer={
        <div style={{ display: 'flex', gap: 8 }}>
          {ready ? (
            <Button type="primary" onClick={save}>
              Edit {seen.changed} {inSentence(seen.changed === 1 ? k.title : k.titles)}
            </Button>
          ) : (
            <Button type="primary" disabled={!something} loading={busy} onClick={() => void look()}>
              See what would change
            </Button>
          )}
          <Button type="text" onClick={onClose}>
            Cancel
          </Button>
        </div>
      }
    >
      <div className="form">
        {Object.keys(changes).map((name) => {
          const field = k.fields[name];
          if (!field) return null;
          return (
            <div key={name} className="bulkfield">
              <label htmlFor={`bulk-${name}`}>{field.title}</label>
              <div>
                <FieldInput
                  id={`bulk-${name}`}
                  field={field}
                  kind={kind}
                  value={changes[name] ?? null}
                  onChange={(value) => change(() => setChanges((all) => ({ ...all, [name]: value })))}
                />
                {!field.required && changes[name] === null && <span className="hint">it will be emptied</span>}
              </div>
              <Button
                size="small"
                type="text"
                aria-label={`Leave ${field.title} as it is`}
                onClick={() =>
                  change(() =>
                    setChanges((all) => Object.fromEntries(Object.entries(all).filter(([other]) => other !== name))),
                  )
                }
              >
                ✕
              </Button>
            </div>
          );
        })}
        <label htmlFor="bulk-more">{Object.keys(changes).length > 0 ? 'Another field' : 'Which field?'}</label>
        <Select
          id="bulk-more"
          style={{ width: 240 }}
          showSearch={{ optionFilterProp: 'label' }}
          placeholder="choose a field to change"
          value={null}
          options={fields
            .filter(([name]) => !(name in changes))
            .map(([name, field]) => ({ value: name, label: field.title }))}
          onChange={(name: string | null) => {
            const field = name === null ? undefined : k.fields[name];
            const start = field && typeOf(field).input === 'switch' ? false : null;
            if (name !== null) change(() => setChanges((all) => ({ ...all, [name]: start })));
          }}
        />
        <label htmlFor="bulk-add">Put labels on</label>
        <LabelsInput id="bulk-add" kind={kind} value={addLabels} onChange={(next) => change(() => setAdd(next))} />
        <label htmlFor="bulk-drop">Take labels off</label>
        <LabelsInput
          id="bulk-drop"
          kind={kind}
          value={dropLabels}
          placeholder="none"
          onChange={(next) => change(() => setDrop(next))}
        />
        <label htmlFor="bulk-reason">Reason, for the history</label>
        <Input id="bulk-reason" value={reason} onChange={(e) => setReason(e.target.value)} />
      </div>
      {refused && (
        <div className="refused" role="alert" style={{ marginTop: 16 }}>
          {refused}
        </div>
      )}
      {seen && <Seen seen={seen} />}
      {ready && <Impact write={send} asked={body} />}
    </Drawer>
  );
}

function Seen({ seen }: { seen: BulkReply }) {
  const same = seen.count - seen.changed;
  return (
    <section aria-label="What would change" style={{ marginTop: 18 }}>
      {seen.faults.length > 0 ? (
        <div className="refused" role="alert">
          <strong>
            {seen.faults.length} of {seen.count} cannot be changed so
          </strong>
          {seen.faults.slice(0, 20).map((f) => (
            <div key={`${f.key} ${f.field} ${f.detail}`}>
              <span className="mono">{f.key}</span> {f.detail}
              {f.remedy && <span className="second">; {f.remedy}</span>}
            </div>
          ))}
        </div>
      ) : (
        <h2 className="section-title">
          {seen.changed} would change {same > 0 && <span className="second">{same} are so already</span>}
        </h2>
      )}
      {seen.faults.length === 0 &&
        seen.items.slice(0, 50).map((item) => (
          <div key={item.key} className="bulkline">
            <span className="mono">{item.key}</span>
            <span>
              {item.changes.map((c, i) => (
                <span key={c.field}>
                  {i > 0 && ', '}
                  {c.field} {c.before !== null && <span className="mono before">{text(c.before)}</span>}{' '}
                  <span className="mono after">{text(c.after)}</span>
                </span>
              ))}
            </span>
          </div>
        ))}
      {seen.changed > 50 && <div className="second">and {seen.changed - 50} more</div>}
    </section>
  );
}
