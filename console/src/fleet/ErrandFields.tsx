import { Input } from 'antd';
import { BeforeQuestions } from './BeforeQuestions.tsx';
import { Careful } from './Careful.tsx';
import type { FieldsProps } from './fields.ts';
import { TableInput } from './TableInput.tsx';

/** The lines of an errand, and how careful it is. */
export function ErrandFields({ draft, onChange, names }: FieldsProps) {
  return (
    <div className="two">
      <div>
        <label htmlFor="errand-lines">Lines, as in a configuration; “- ” before a line takes it away</label>
        <Input.TextArea
          id="errand-lines"
          className="mono"
          spellCheck={false}
          autoSize={{ minRows: 4, maxRows: 16 }}
          placeholder={'journal to 10.77.0.7\nsocket 1/3\n  about "to @{site.name}"'}
          value={draft.lines}
          onChange={(event) => onChange({ lines: event.target.value })}
        />
      </div>
      <div>
        <BeforeQuestions draft={draft} onChange={onChange} names={names} />
        <TableInput value={draft.table} onChange={(table) => onChange({ table })} />
        <Careful draft={draft} onChange={onChange} />
      </div>
    </div>
  );
}
