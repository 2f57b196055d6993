import { Checkbox, Input, Select } from 'antd';
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
        <label htmlFor="errand-before">Ask before and after</label>
        <Select
          id="errand-before"
          mode="multiple"
          style={{ width: '100%' }}
          value={draft.before}
          options={names.map((value) => ({ value, label: value }))}
          onChange={(before) => onChange({ before })}
        />
        <TableInput value={draft.table} onChange={(table) => onChange({ table })} />
        <Checkbox
          checked={draft.keep}
          onChange={(event) => onChange({ keep: event.target.checked })}
          style={{ marginTop: 8 }}
        >
          Have the devices store what then runs
        </Checkbox>
        <Checkbox
          checked={draft.insist}
          onChange={(event) => onChange({ insist: event.target.checked })}
          style={{ marginTop: 8 }}
        >
          Send it although the service would lose its way in
        </Checkbox>
        {draft.insist && (
          <Input
            aria-label="Why"
            placeholder="why, such as: the console cable is in"
            value={draft.reason}
            onChange={(event) => onChange({ reason: event.target.value })}
          />
        )}
      </div>
    </div>
  );
}
