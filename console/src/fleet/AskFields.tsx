import { Input, Select } from 'antd';
import type { ExpectationKind } from '@zpine/core/fleet/expectations';
import type { FieldsProps } from './fields.ts';
import { BlankFields } from './Blanks.tsx';
import { TableInput } from './TableInput.tsx';
import { blanksNamed, distinctBlanks } from './words.ts';

/** What is asked, and what every answer should have. */
export function AskFields({ draft, onChange, names, words }: FieldsProps) {
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
        <BlankFields
          blanks={distinctBlanks(draft.questions.map((name) => ({ blanks: blanksNamed(words, name) })))}
          values={draft.blanks}
          onChange={(blanks) => onChange({ blanks })}
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
        <label htmlFor="ask-part">A part of what runs: lines that begin so, or lines that fit a pattern</label>
        <div className="line">
          <Input
            id="ask-part"
            className="mono"
            placeholder="lane 304"
            value={draft.part}
            onChange={(event) => onChange({ part: event.target.value })}
          />
          <Input
            aria-label="Lines that fit"
            className="mono"
            placeholder="^way "
            value={draft.partLines}
            onChange={(event) => onChange({ partLines: event.target.value })}
          />
        </div>
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
