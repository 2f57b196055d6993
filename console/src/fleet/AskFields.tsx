import { Input, Select } from 'antd';
import type { ExpectationKind } from '@zpine/core/fleet/expectations';
import type { FieldsProps } from './fields.ts';
import { TableInput } from './TableInput.tsx';

/** What is asked, and what every answer should have. */
export function AskFields({ draft, onChange, names }: FieldsProps) {
  return (
    <div className="two">
      <div>
        <label htmlFor="ask-questions">Questions</label>
        <Select
          id="ask-questions"
          mode="multiple"
          style={{ width: '100%' }}
          value={draft.questions}
          options={names.map((value) => ({ value, label: value }))}
          onChange={(questions) => onChange({ questions })}
          placeholder="version, interfaces, neighbours …"
        />
        <label htmlFor="ask-command">Commands, one per line</label>
        <Input.TextArea
          id="ask-command"
          className="mono"
          autoSize={{ minRows: 1, maxRows: 6 }}
          value={draft.command}
          onChange={(event) => onChange({ command: event.target.value })}
        />
      </div>
      <div>
        <label htmlFor="ask-expect">Every answer</label>
        <div className="line">
          <Select<ExpectationKind>
            aria-label="How it is expected"
            value={draft.expectKind}
            onChange={(expectKind) => onChange({ expectKind })}
            options={[
              { value: 'has', label: 'has' },
              { value: 'lacks', label: 'has no' },
              { value: 'matches', label: 'has a line that fits' },
            ]}
            style={{ width: 170 }}
          />
          <Input.TextArea
            id="ask-expect"
            className="mono"
            autoSize={{ minRows: 1, maxRows: 4 }}
            placeholder="10.77.0.5 (one per line)"
            value={draft.expect}
            onChange={(event) => onChange({ expect: event.target.value })}
          />
        </div>
        <TableInput value={draft.table} onChange={(table) => onChange({ table })} />
      </div>
    </div>
  );
}
