import { Select } from 'antd';
import type { Field } from '@zpine/contract/fields';
import type { KindName } from '@zpine/contract/kinds';
import { inSentence } from '../look/words.ts';
import { RefInput } from './RefInput.tsx';

/** Narrows a list by one field: a reference, a choice, yes or no. */
export function FilterInput({
  name,
  field,
  value,
  onChange,
}: {
  name: string;
  field: Field;
  value: string | null;
  onChange: (value: string | null) => void;
}) {
  const words = `any ${inSentence(field.title)}`;
  if (field.type === 'ref') {
    return (
      <div style={{ minWidth: 150 }}>
        <RefInput kind={field.to as KindName} value={value} onChange={onChange} placeholder={words} allowAdd={false} />
      </div>
    );
  }
  const choices = field.type === 'bool' ? ['yes', 'no'] : [...(field.choices ?? [])];
  return (
    <Select
      aria-label={name}
      allowClear
      style={{ minWidth: 130 }}
      placeholder={words}
      value={value}
      options={choices.map((choice) => ({ value: choice, label: choice }))}
      onChange={(next: string | undefined) => onChange(next ?? null)}
    />
  );
}
