import { AutoComplete, Input, type InputRef } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import type { KindName } from '@zpine/contract/kinds';
import { client, keys } from '../api.ts';

interface Props {
  kind: KindName;
  value: string;
  onChange: (text: string) => void;
  wrong?: boolean;
  placeholder?: string;
  ariaLabel: string;
  width?: number | string;
}

/** A selection, completed as it is typed: fields, choices, keys, labels. */
export function WhereInput({ kind, value, onChange, wrong, placeholder, ariaLabel, width = 330 }: Props) {
  const input = useRef<InputRef>(null);
  const [at, setAt] = useState<number>();
  const [open, setOpen] = useState(false);
  const query = { kind, text: value, ...(at === undefined ? {} : { at }) };
  const found = useQuery({
    queryKey: keys.worked('complete', query),
    queryFn: () => client.call('where.complete', { query }),
    enabled: open,
    placeholderData: (before) => before,
  });
  const where = () => setAt(input.current?.input?.selectionStart ?? undefined);
  const { from = 0, to = 0, items = [] } = found.data ?? {};
  return (
    <AutoComplete
      className="typed"
      style={{ width }}
      value={value}
      open={open && items.length > 0 && value !== ''}
      onOpenChange={setOpen}
      options={items.map((item) => ({
        value: item.text,
        label: (
          <span style={{ display: 'flex', gap: 12 }}>
            <span className="mono">{item.text}</span>
            <span className="second" style={{ marginLeft: 'auto' }}>
              {item.about}
            </span>
          </span>
        ),
      }))}
      onSelect={(text: string) => {
        const next = value.slice(0, from) + text + value.slice(to);
        onChange(next);
        setAt(from + text.length);
        if (!text.endsWith('=')) return setOpen(false);
        // A field is followed by its value: what is possible is offered at once. The list of choices closes itself when one
        // was taken, and only then can it open again; whoever has typed on by then is left alone.
        setTimeout(() => {
          const field = input.current?.input;
          if (field?.value !== next) return;
          field.focus();
          field.setSelectionRange(from + text.length, from + text.length);
          setOpen(true);
        }, 80);
      }}
      onSearch={(text: string) => {
        onChange(text);
        setOpen(true);
        where();
      }}
    >
      <Input
        ref={input}
        className="mono"
        allowClear
        spellCheck={false}
        status={wrong ? 'error' : ''}
        placeholder={placeholder}
        aria-label={ariaLabel}
        onKeyUp={where}
        onClick={where}
      />
    </AutoComplete>
  );
}
