import { App, Button, Drawer, Form, Input } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { Suspense, useId, useState, type ComponentProps, type ComponentType, type ReactNode } from 'react';
import { type Client, RefusedError } from '@zpine/contract/client';
import type { Problem } from '@zpine/contract/errors';
import { typeOf, type Value } from '@zpine/contract/fields';
import { type AnyRecord, fieldsOf, type KindDescription } from '@zpine/contract/kind';
import { kindOf, type KindName } from '@zpine/contract/kinds';
import { client, keys, own, problemOf, queries } from '../api.ts';
import { Impact } from '../impact/Impact.tsx';
import type { HelpProps, Narrowed } from '../kinds/extras.ts';
import { extrasOf } from '../kinds/registry.ts';
import { inSentence, withArticle } from '../look/words.ts';
import { Conflict } from './Conflict.tsx';
import { FieldInput } from './FieldInput.tsx';

interface Props {
  kind: KindName;
  /** The record to edit; without it a new one is added. */
  record?: AnyRecord;
  /** What a new record begins with. */
  preset?: Record<string, Value>;
  onClose: () => void;
  onSaved?: (record: AnyRecord) => void;
}

type Values = Record<string, Value>;

const inForm = (k: KindDescription) => fieldsOf(k).filter(([, field]) => !field.derived && !field.byVerb);

function startOf(k: KindDescription, record: AnyRecord | undefined, preset: Values): Values {
  return Object.fromEntries(
    inForm(k).map(([name, field]) => [name, record ? (record[name] ?? null) : (preset[name] ?? field.default ?? null)]),
  );
}

/** Adds or edits a record beside the page it is needed on; faults show at their fields. */
export function RecordDrawer({ kind, record, preset = {}, onClose, onSaved }: Props) {
  const k = kindOf(kind);
  const { message } = App.useApp();
  const [form] = Form.useForm<Values>();
  // Forms may stand over one another: each needs ids of its own for its labels.
  const formId = useId();
  const [problem, setProblem] = useState<Problem>();
  const [base, setBase] = useState(record);
  const [reason, setReason] = useState('');
  const [busy, setBusy] = useState(false);
  const extras = extrasOf(kind);
  const values = (Form.useWatch([], form) as Values | undefined) ?? startOf(k, record, preset);
  // What a record with these values cannot have is not asked for.
  const hidden = extras.hidden?.(values) ?? [];

  const save = async (another: boolean) => {
    setBusy(true);
    setProblem(undefined);
    form.setFields(inForm(k).map(([name]) => ({ name, errors: [] })));
    try {
      const saved = (await send(client, k, kind, base, form.getFieldsValue(), reason)) as AnyRecord;
      own.note({ kind, record: saved.id, version: saved.version });
      void queries.invalidateQueries({ queryKey: ['records', kind] });
      void queries.invalidateQueries({ queryKey: ['worked'] });
      void message.success(`${base ? 'Saved' : 'Added'} ${saved.key}`);
      if (another) {
        // What is the same for the next one stays: everything but its own name and numbers.
        form.setFieldsValue(
          Object.fromEntries(
            inForm(k).flatMap(([name, field]) => (isOwn(k, name, field.unique) ? [[name, null]] : [])),
          ),
        );
      } else {
        onSaved?.(saved);
        onClose();
      }
    } catch (error) {
      const refused = problemOf(error);
      const placed = placeFaults(k, refused);
      form.setFields(placed);
      setProblem(placed.length > 0 && placed.length === (refused.errors?.length ?? 0) ? undefined : refused);
      if (!(error instanceof RefusedError)) void message.error(refused.detail);
    } finally {
      setBusy(false);
    }
  };

  return (
    <Drawer
      open
      size={480}
      title={base ? `Edit ${inSentence(k.title)} ${base.key}` : `Add ${withArticle(inSentence(k.title))}`}
      onClose={onClose}
      footer={
        <div style={{ display: 'flex', gap: 8 }}>
          <Button type="primary" loading={busy} onClick={() => void save(false)}>
            Save
          </Button>
          {!base && <Button onClick={() => void save(true)}>Save and add another</Button>}
          <Button type="text" onClick={onClose}>
            Cancel
          </Button>
        </div>
      }
    >
      {problem?.code === 'stale' ? (
        <Conflict
          kind={k}
          problem={problem}
          onTake={(name, value) => form.setFieldValue(name, value)}
          onGoOn={(current) => {
            setBase(current);
            setProblem(undefined);
          }}
        />
      ) : (
        problem && (
          <div className="refused" role="alert">
            {problem.detail}
            {problem.remedy && <div className="second">{problem.remedy}</div>}
          </div>
        )
      )}
      <Form
        form={form}
        name={formId}
        layout="vertical"
        requiredMark={false}
        initialValues={startOf(k, record, preset)}
        onFinish={() => void save(false)}
      >
        {inForm(k).map(([name, field], i) => (
          <Form.Item
            key={name}
            name={name}
            hidden={hidden.includes(name)}
            label={
              <span>
                {field.title}
                {!field.required && field.default === undefined && typeOf(field).input !== 'switch' && (
                  <span className="hint"> optional</span>
                )}
              </span>
            }
            extra={helpBeside(base ? undefined : extras.help?.[name], field.about, {
              values,
              onTake: (next) => form.setFieldValue(name, next),
            })}
          >
            <NarrowedInput
              field={field}
              kind={kind}
              autoFocus={i === 0 && !base}
              disabled={Boolean(base && field.fixed)}
              to={extras.narrowed?.(field, values, base)}
            />
          </Form.Item>
        ))}
        <label htmlFor={`${formId}-reason`} className="hint">
          Reason, for the history
        </label>
        <Input id={`${formId}-reason`} value={reason} onChange={(e) => setReason(e.target.value)} />
        <button type="submit" hidden aria-hidden tabIndex={-1} />
      </Form>
      <Impact write={(c) => send(c, k, kind, base, form.getFieldsValue(), '')} asked={values} />
    </Drawer>
  );
}

/** A field, with what it may refer to narrowed by what the record has already. */
function NarrowedInput({ to, ...props }: ComponentProps<typeof FieldInput> & { to: Narrowed }) {
  const site = useSiteOf(to?.siteOf);
  const only: Record<string, string> | undefined =
    to?.device !== undefined ? { device: to.device } : site !== undefined ? { site } : undefined;
  return <FieldInput {...props} {...(only ? { only } : {})} />;
}

/** Help of its own for a field of a new record, or what its description says. */
function helpBeside(Own: ComponentType<HelpProps> | undefined, about: string | undefined, props: HelpProps): ReactNode {
  if (Own)
    return (
      <Suspense fallback={null}>
        <Own {...props} />
      </Suspense>
    );
  return about ? <span className="hint">{about}</span> : undefined;
}

/** The site of a device: its VLANs are those that its interfaces may have. */
function useSiteOf(device: string | undefined): string | undefined {
  const found = useQuery({
    queryKey: keys.record('device', device ?? ''),
    queryFn: () => client.show('device', device ?? ''),
    enabled: device !== undefined,
  });
  return found.data?.site ?? undefined;
}

const isOwn = (k: KindDescription, name: string, unique: boolean | undefined): boolean =>
  unique === true || (k.key.parts.includes(name) && k.fields[name]?.type !== 'ref');

/** Sends what differs from the record it began with; an added record sends what has a value. */
function send(
  client: Client,
  k: KindDescription,
  kind: KindName,
  base: AnyRecord | undefined,
  values: Values,
  reason: string,
): Promise<unknown> {
  const entries = inForm(k).map(([name]): [string, Value] => [name, values[name] ?? null]);
  const why = reason ? { reason } : {};
  if (!base) return client.add(kind, Object.fromEntries(entries.filter(([, value]) => value !== null)), why);
  const changed = entries.filter(([name, value]) => JSON.stringify(value) !== JSON.stringify(base[name] ?? null));
  return client.edit(kind, `#${base.id}`, Object.fromEntries(changed), { version: base.version, ...why });
}

/** Where in a list or map of a field: `entry 2, size: `, counted from 1 as people do. */
const placeWords = (parts: string[]): string =>
  parts.length === 0
    ? ''
    : `${parts.map((part) => (/^\d+$/.test(part) ? `entry ${Number(part) + 1}` : part)).join(', ')}: `;

/** Every fault at its field, in words. */
function placeFaults(k: KindDescription, { errors = [] }: Problem): { name: string; errors: string[] }[] {
  const byField = new Map<string, string[]>();
  for (const { pointer, detail, remedy } of errors) {
    const parts = pointer.split('/');
    const at = parts.findIndex((part) => part in k.fields);
    const name = parts[at];
    if (name === undefined) continue;
    const inside = placeWords(parts.slice(at + 1));
    byField.set(name, [...(byField.get(name) ?? []), inside + (remedy ? `${detail}; ${remedy}` : detail)]);
  }
  return [...byField].map(([name, words]) => ({ name, errors: words }));
}
