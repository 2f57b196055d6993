import { AutoComplete, Input, type InputRef } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useLayoutEffect, useRef, useState, type RefObject } from 'react';
import { useNavigate } from 'react-router';
import { isKind, kindOf } from '@zpine/contract/kinds';
import { client, keys } from '../api.ts';
import { inSentence } from '../look/words.ts';
import { pathOf } from '../records/paths.ts';
import type { Early } from './EarlySearch.tsx';

/** `early`: what was typed before this was loaded. */
export default function Search({ early }: { early: RefObject<Early> }) {
  const [text, setText] = useState(() => early.current.text);
  const [asked, setAsked] = useState('');
  const input = useRef<InputRef>(null);
  const navigate = useNavigate();
  useEffect(() => {
    const timer = setTimeout(() => setAsked(text.trim()), 120);
    return () => clearTimeout(timer);
  }, [text]);
  const found = useQuery({
    queryKey: keys.worked('search', asked),
    queryFn: () => client.call('search', { query: { q: asked } }),
    enabled: asked !== '',
    placeholderData: (before) => before,
  });
  // Before anything more is typed.
  useLayoutEffect(() => {
    // With what was typed while this was being made.
    if (early.current.text !== '') setText(early.current.text);
    if (early.current.focused) input.current?.focus({ cursor: 'end' });
  }, [early]);
  useEffect(() => {
    const focus = () => input.current?.focus({ cursor: 'all' });
    window.addEventListener('zpine-search', focus);
    return () => window.removeEventListener('zpine-search', focus);
  }, []);
  const items = asked === '' ? [] : (found.data?.items ?? []);
  const options = items
    .filter((hit) => isKind(hit.kind))
    .map((hit) => ({
      value: pathOf(hit.kind, hit.key),
      label: (
        <span style={{ display: 'flex', gap: 10 }}>
          <span className="mono">{hit.key}</span>
          <span className="second cut">
            {hit.found !== '' && hit.found !== hit.title && hit.why !== 'key' && hit.found.toLowerCase() !== hit.key
              ? `${hit.why}: ${hit.found}`
              : (hit.title ?? (hit.why === 'key' ? '' : `by ${inSentence(hit.why)}`))}
          </span>
          <span className="second" style={{ marginLeft: 'auto' }}>
            {inSentence(kindOf(hit.kind).title)}
          </span>
        </span>
      ),
    }));
  return (
    <AutoComplete
      className="find"
      value={text}
      options={options}
      // What was typed before it was there has its answers, too.
      defaultOpen={early.current.focused || early.current.text !== ''}
      defaultActiveFirstOption
      notFoundContent={
        asked !== '' && found.isSuccess ? <span className="second">Nothing is found by “{asked}”</span> : null
      }
      onSearch={setText}
      onSelect={(to: string) => {
        setText('');
        input.current?.blur();
        void navigate(to);
      }}
    >
      <Input
        ref={input}
        aria-label="Search"
        placeholder="Names, MACs, serials, addresses, labels"
        suffix={<kbd>/</kbd>}
      />
    </AutoComplete>
  );
}
