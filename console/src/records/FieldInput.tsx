import { Input, InputNumber, Segmented, Select, Switch } from 'antd';
import { lazy, useMemo } from 'react';
import { typeOf, type Field, type Value } from '@zpine/contract/fields';
import type { KindName } from '@zpine/contract/kinds';
import { LabelsInput } from './Labels.tsx';
import { RefInput } from './RefInput.tsx';

const YamlInput = lazy(() => import('./YamlInput.tsx'));

interface Props {
  id?: string;
  field: Field;
  value?: Value;
  onChange?: (value: Value) => void;
  autoFocus?: boolean;
  only?: Record<string, string>;
  disabled?: boolean;
  /** The kind that the field is of: its labels are offered. */
  kind?: KindName;
}

/** The input of a field, by its type. An empty text is no value. */
export function FieldInput({ id, field, value = null, onChange, autoFocus, only, disabled, kind }: Props) {
  const set = (next: Value) => onChange?.(next);
  const setText = (text: string) => set(text === '' ? null : text);
  const common = { ...(id ? { id } : {}), ...(disabled ? { disabled } : {}), ...(autoFocus ? { autoFocus } : {}) };
  const placeholder = field.example;
  switch (typeOf(field).input) {
    case 'record':
      return (
        <RefInput
          {...common}
          kind={field.to as KindName}
          value={value as string | null}
          onChange={set}
          {...(only ? { only } : {})}
        />
      );
    case 'number':
      return (
        <InputNumber
          {...common}
          style={{ width: 150 }}
          value={value as number | null}
          min={field.min ?? 0}
          {...(field.max === undefined ? {} : { max: field.max })}
          suffix={field.unit}
          onChange={(next) => set(next)}
        />
      );
    case 'labels':
      return (
        <LabelsInput
          {...(id ? { id } : {})}
          kind={kind ?? 'device'}
          value={Array.isArray(value) ? value.map(String) : []}
          onChange={(labels) => set(labels.length > 0 ? labels : null)}
        />
      );
    case 'switch':
      return (
        <Switch {...common} checked={Boolean(value)} onChange={set} checkedChildren="yes" unCheckedChildren="no" />
      );
    case 'choice':
      // What may be empty can be emptied again.
      return (field.choices?.length ?? 0) <= 3 && field.default !== undefined ? (
        <Segmented {...common} options={[...(field.choices ?? [])]} value={value as string} onChange={set} />
      ) : (
        <Select
          {...common}
          allowClear={field.default === undefined && !field.required}
          options={(field.choices ?? []).map((choice) => ({ value: choice, label: choice }))}
          value={value as string}
          onChange={(next: string | undefined) => set(next ?? null)}
        />
      );
    case 'zone':
      return <ZoneInput {...common} value={value as string | null} onChange={set} placeholder={placeholder} />;
    case 'colour':
      return (
        <Input
          {...common}
          type="color"
          style={{ width: 80, padding: 2 }}
          value={(value as string) ?? '#a39b8b'}
          onChange={(e) => set(e.target.value)}
        />
      );
    case 'area':
      return (
        <Input.TextArea
          {...common}
          autoSize={{ minRows: 2, maxRows: 8 }}
          value={(value as string) ?? ''}
          onChange={(e) => setText(e.target.value)}
        />
      );
    case 'source':
      return (
        <Input.TextArea
          {...common}
          className="mono"
          spellCheck={false}
          autoSize={{ minRows: 8, maxRows: 24 }}
          value={(value as string) ?? ''}
          onChange={(e) => setText(e.target.value)}
        />
      );
    case 'json':
      if (field.nested) return <YamlInput {...common} value={value} onChange={set} />;
      return (
        <Input.TextArea
          {...common}
          className="mono"
          autoSize={{ minRows: 1, maxRows: 8 }}
          value={typeof value === 'string' ? value : value === null ? '' : JSON.stringify(value)}
          onChange={(e) => set(e.target.value === '' ? null : (typeOf(field).fromText(e.target.value) as Value))}
        />
      );
    case 'day':
      return (
        <Input
          {...common}
          type="date"
          style={{ width: 170 }}
          value={(value as string) ?? ''}
          onChange={(e) => setText(e.target.value)}
        />
      );
    case 'groups':
      return (
        <Input.TextArea
          {...common}
          className="mono"
          spellCheck={false}
          autoSize={{ minRows: 2, maxRows: 8 }}
          placeholder={placeholder?.replaceAll('; ', '\n')}
          value={Array.isArray(value) ? typeOf(field).toText(value).replaceAll('; ', '\n') : ((value as string) ?? '')}
          onChange={(e) => setText(e.target.value)}
        />
      );
    case 'code':
      return (
        <Input
          {...common}
          className="mono"
          autoComplete="off"
          spellCheck={false}
          placeholder={placeholder}
          value={Array.isArray(value) ? typeOf(field).toText(value) : ((value as string) ?? '')}
          onChange={(e) => setText(e.target.value)}
        />
      );
    default:
      return (
        <Input
          {...common}
          autoComplete="off"
          placeholder={placeholder}
          value={(value as string) ?? ''}
          onChange={(e) => setText(e.target.value)}
        />
      );
  }
}

interface ZoneProps {
  id?: string;
  value: string | null;
  onChange: (value: Value) => void;
  placeholder: string | undefined;
}

function ZoneInput({ value, onChange, placeholder, ...rest }: ZoneProps) {
  const zones = useMemo(() => Intl.supportedValuesOf('timeZone').map((zone) => ({ value: zone, label: zone })), []);
  return (
    <Select
      {...rest}
      showSearch
      allowClear
      options={zones}
      value={value}
      placeholder={placeholder}
      onChange={(next: string | undefined) => onChange(next ?? null)}
    />
  );
}
