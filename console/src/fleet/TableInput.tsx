import { Input } from 'antd';

interface TableInputProps {
  value: string;
  onChange: (text: string) => void;
  /** It has a head row. */
  wide?: boolean;
}

export function TableInput({ value, onChange, wide = false }: TableInputProps) {
  return (
    <>
      <label htmlFor="run-table">
        {wide
          ? 'Or a table pasted from a spreadsheet: a head row, a column for the device, one for each blank'
          : 'Or a table with one column or one row per device, pasted from a spreadsheet'}
      </label>
      <Input.TextArea
        id="run-table"
        className="mono"
        spellCheck={false}
        autoSize={{ minRows: 1, maxRows: 8 }}
        placeholder={wide ? 'device;port\nhar-acc-1;1/2' : 'har-acc-1;har-acc-2'}
        value={value}
        onChange={(event) => onChange(event.target.value)}
      />
    </>
  );
}
