import { Button, Divider, Select } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { kindOf, type KindName } from '@zpine/contract/kinds';
import type { Value } from '@zpine/contract/fields';
import { client, keys } from '../api.ts';
import { inSentence, withArticle } from '../look/words.ts';
import { useMay } from '../session.tsx';
import { useAdding } from './adding.ts';

interface Props {
  id?: string;
  kind: KindName;
  value?: string | null;
  onChange?: (value: string | null) => void;
  /** Narrows what is offered: the interfaces of one device. */
  only?: Record<string, string>;
  placeholder?: string;
  allowAdd?: boolean;
}

/** Chooses another record by its key; what is missing can be made in place. */
export function RefInput({ id, kind, value, onChange, only = {}, placeholder, allowAdd = true }: Props) {
  const [typed, setTyped] = useState('');
  const [open, setOpen] = useState(false);
  const add = useAdding();
  const may = useMay('engineer');
  const k = kindOf(kind);
  const query = { ...only, limit: 40, ...(typed ? { q: typed } : {}) };
  const found = useQuery({
    queryKey: keys.list(kind, query),
    queryFn: () => client.list(kind, query),
    enabled: open,
    placeholderData: (before) => before,
  });
  const options = (found.data?.items ?? []).map((record) => ({
    value: record.key,
    label: (
      <span>
        <span className="mono">{record.key}</span>{' '}
        <span className="second">{(record as unknown as { title?: Value }).title as string}</span>
      </span>
    ),
  }));
  return (
    <Select
      {...(id ? { id } : {})}
      showSearch={{ filterOption: false, onSearch: setTyped, searchValue: typed }}
      allowClear
      style={{ width: '100%' }}
      value={value ?? null}
      options={options}
      open={open}
      onOpenChange={setOpen}
      placeholder={placeholder ?? `choose ${withArticle(inSentence(k.title))}`}
      notFoundContent={
        found.isSuccess ? (
          <span className="second">{typed ? `No ${inSentence(k.title)} begins with “${typed}”` : 'None yet'}</span>
        ) : null
      }
      labelRender={({ value: shown }) => <span className="mono">{shown}</span>}
      onChange={(next: string | undefined) => {
        setTyped('');
        onChange?.(next ?? null);
      }}
      popupRender={(menu) => (
        <>
          {menu}
          {may && allowAdd && (
            <>
              <Divider style={{ margin: '4px 0' }} />
              <Button
                type="link"
                size="small"
                onClick={() => {
                  setOpen(false);
                  add({
                    kind,
                    preset: { ...only, ...nameFrom(k.key.parts, typed) },
                    onSaved: (record) => onChange?.(record.key),
                  });
                }}
              >
                Add {withArticle(inSentence(k.title))} …
              </Button>
            </>
          )}
        </>
      )}
    />
  );
}

/** What was typed in vain is the new record's name. */
const nameFrom = (parts: readonly string[], typed: string): Record<string, string> =>
  parts.length === 1 && typed ? { [parts[0] ?? '']: typed } : {};
