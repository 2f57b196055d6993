import { Checkbox, Input } from 'antd';
import type { FieldsProps } from './fields.ts';

/** What an errand and a push have alike: whether the devices store it, and whether the way in may be lost. */
export function Careful({ draft, onChange }: Pick<FieldsProps, 'draft' | 'onChange'>) {
  return (
    <>
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
    </>
  );
}
