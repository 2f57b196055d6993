import { Select } from 'antd';
import type { FieldsProps } from './fields.ts';

/** Questions that are asked before a change and after it. */
export function BeforeQuestions({ draft, onChange, names }: FieldsProps) {
  return (
    <>
      <label htmlFor="run-before">Ask before and after</label>
      <Select
        id="run-before"
        mode="multiple"
        style={{ width: '100%' }}
        value={draft.before}
        options={names.map((value) => ({ value, label: value }))}
        onChange={(before) => onChange({ before })}
      />
    </>
  );
}
