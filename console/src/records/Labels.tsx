import { Select } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { KindName } from '@zpine/contract/kinds';
import { client, keys } from '../api.ts';

export function Labels({ labels }: { labels: readonly string[] }) {
  return (
    <span className="labels">
      {labels.map((label) => (
        <span key={label}>{label}</span>
      ))}
    </span>
  );
}

interface Props {
  id?: string;
  kind: KindName;
  value: string[];
  onChange: (labels: string[]) => void;
  placeholder?: string;
  ariaLabel?: string;
}

/** Labels as words; those that others of the kind carry are offered. */
export function LabelsInput({ id, kind, value, onChange, placeholder, ariaLabel }: Props) {
  const [open, setOpen] = useState(false);
  const known = useQuery({
    queryKey: keys.worked('labels', kind),
    queryFn: () => client.call('where.complete', { query: { kind, text: 'label=' } }),
    enabled: open,
  });
  const words = (known.data?.items ?? []).filter((item) => item.text !== 'none');
  return (
    <Select
      {...(id ? { id } : {})}
      {...(ariaLabel ? { 'aria-label': ariaLabel } : {})}
      className="mono"
      mode="tags"
      tokenSeparators={[',', ' ', ';']}
      style={{ width: '100%' }}
      placeholder={placeholder ?? 'free words, such as spare'}
      value={value}
      onOpenChange={setOpen}
      options={words.map((item) => ({ value: item.text, label: `${item.text}  ${item.about}` }))}
      optionLabelProp="value"
      onChange={(next: string[]) => onChange(next.map((word) => word.toLowerCase()))}
    />
  );
}
