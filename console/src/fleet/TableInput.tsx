import { Input } from 'antd';

export function TableInput({ value, onChange }: { value: string; onChange: (text: string) => void }) {
  return (
    <>
      <label htmlFor="run-table">Or a table with one column or one row per device, pasted from a spreadsheet</label>
      <Input.TextArea
        id="run-table"
        className="mono"
        spellCheck={false}
        autoSize={{ minRows: 1, maxRows: 8 }}
        placeholder={'har-acc-1;har-acc-2'}
        value={value}
        onChange={(event) => onChange(event.target.value)}
      />
    </>
  );
}
