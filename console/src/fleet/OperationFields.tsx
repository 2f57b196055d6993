import { Checkbox, Input, Select } from 'antd';
import { BlankFields } from './Blanks.tsx';
import type { FieldsProps } from './fields.ts';
import { TableInput } from './TableInput.tsx';
import { distinctBlanks } from './words.ts';

/** Which operation, and what stands in its blanks. */
export function OperationFields({ draft, onChange, words }: FieldsProps) {
  const all = words.flatMap(({ dialect, operations }) => operations.map((one) => ({ dialect, ...one })));
  const names = [...new Set(all.map(({ operation }) => operation))];
  const chosen = all.filter(({ operation }) => operation === draft.operation);
  return (
    <div className="two">
      <div>
        <label htmlFor="operation-name">What they are told to do</label>
        <Select
          id="operation-name"
          style={{ width: '100%' }}
          value={draft.operation === '' ? null : draft.operation}
          placeholder="set the clock, bounce a port …"
          options={names.map((value) => ({ value, label: all.find((one) => one.operation === value)?.title ?? value }))}
          onChange={(operation) => onChange({ operation })}
        />
        {chosen[0] && (
          <p className="second">
            {chosen[0].about} {chosen[0].about === '' ? '' : '·'} {chosen.map(({ dialect }) => dialect).join(', ')}
          </p>
        )}
        <Checkbox checked={draft.insist} onChange={(event) => onChange({ insist: event.target.checked })}>
          Do it although the service may lose its way in
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
      <div>
        <BlankFields
          blanks={distinctBlanks(chosen)}
          values={draft.blanks}
          onChange={(blanks) => onChange({ blanks })}
        />
        {chosen[0] && chosen[0].blanks.length > 0 && (
          <TableInput value={draft.table} onChange={(table) => onChange({ table })} wide />
        )}
      </div>
    </div>
  );
}
