import { Input, Select } from 'antd';
import type { FieldsProps } from './fields.ts';

/** Questions that are asked before a change and after it. */
export function BeforeQuestions({ draft, onChange, names }: Omit<FieldsProps, 'words'>) {
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
      {draft.before.length > 0 && (
        <>
          <label htmlFor="run-expect">Afterwards they have to say, a line each</label>
          <Input.TextArea
            id="run-expect"
            className="mono"
            spellCheck={false}
            autoSize={{ minRows: 1, maxRows: 4 }}
            placeholder="address=@{device.management.gateway}"
            value={draft.expectAfter}
            onChange={(event) => onChange({ expectAfter: event.target.value })}
          />
        </>
      )}
    </>
  );
}
