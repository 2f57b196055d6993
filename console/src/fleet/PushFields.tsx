import { Checkbox } from 'antd';
import type { FieldsProps } from './fields.ts';
import { BeforeQuestions } from './BeforeQuestions.tsx';
import { Careful } from './Careful.tsx';

/** How careful a push is; what is pushed are the published editions. */
export function PushFields({ draft, onChange, names }: FieldsProps) {
  return (
    <div className="two">
      <div>
        <BeforeQuestions draft={draft} onChange={onChange} names={names} />
        <Checkbox
          checked={draft.stale}
          onChange={(event) => onChange({ stale: event.target.checked })}
          style={{ marginTop: 8 }}
        >
          Editions, too, whose inputs have changed since they were made
        </Checkbox>
        <Checkbox checked={draft.secrets} onChange={(event) => onChange({ secrets: event.target.checked })}>
          Secrets, too, that devices do not show well enough to say whether they are right
        </Checkbox>
      </div>
      <div>
        <Careful draft={draft} onChange={onChange} />
      </div>
    </div>
  );
}
