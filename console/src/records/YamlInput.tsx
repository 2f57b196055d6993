import { Input } from 'antd';
import { useState } from 'react';
import { parseDocument, stringify } from 'yaml';
import type { Value } from '@zpine/contract/fields';

interface Props {
  id?: string;
  disabled?: boolean;
  autoFocus?: boolean;
  value: Value;
  onChange: (value: Value) => void;
}

/** Lists and maps, written as YAML; while a text cannot be read, its first fault is told with line and column. */
export default function YamlInput({ value, onChange, ...common }: Props) {
  const [text, setText] = useState(value === null ? '' : stringify(value, { lineWidth: 0 }));
  const [fault, setFault] = useState<string>();
  const change = (next: string) => {
    setText(next);
    const read = parseDocument(next, { prettyErrors: true });
    const [first] = read.errors;
    const line = first?.linePos?.[0];
    setFault(first && `line ${line?.line ?? '?'}, column ${line?.col ?? '?'}: ${first.message.split('\n')[0]}`);
    // What cannot be read is sent as it stands, so that it is not taken for what was there before.
    onChange(first ? next : next.trim() === '' ? null : (read.toJS() as Value));
  };
  return (
    <>
      <Input.TextArea
        {...common}
        className="mono"
        spellCheck={false}
        autoSize={{ minRows: 8, maxRows: 26 }}
        value={text}
        onChange={(event) => change(event.target.value)}
      />
      {fault && <div className="refused">{fault}</div>}
    </>
  );
}
