import { Checkbox, Select } from 'antd';
import type { FieldsProps } from './fields.ts';
import { Careful } from './Careful.tsx';

/** How careful a push is; what is pushed are the published editions. */
export function PushFields({ draft, onChange, names }: FieldsProps) {
  return (
    <div className="two">
      <div>
        <label htmlFor="push-before">Ask before and after</label>
        <Select
          id="push-before"
          mode="multiple"
          style={{ width: '100%' }}
          value={draft.before}
          options={names.map((value) => ({ value, label: value }))}
          onChange={(before) => onChange({ before })}
        />
        <Checkbox
          checked={draft.stale}
          onChange={(event) => onChange({ stale: event.target.checked })}
          style={{ marginTop: 8 }}
        >
          Editions, too, whose inputs have changed since they were made
        </Checkbox>
      </div>
      <div>
        <Careful draft={draft} onChange={onChange} />
      </div>
    </div>
  );
}
