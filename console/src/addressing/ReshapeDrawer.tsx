import { InputNumber, Select } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { kindOf } from '@zpine/contract/kinds';
import type { ReplyOf } from '@zpine/contract/routes';
import { client, keys } from '../api.ts';
import { LookDrawer } from '../look/LookDrawer.tsx';
import { pathOf } from '../records/paths.ts';

export type Reshape = 'split' | 'resize' | 'merge';

const titles: Record<Reshape, string> = { split: 'Split', resize: 'Resize', merge: 'Merge' };
const hints: Record<Reshape, string> = {
  split: 'Parts of one size take its place; addresses, ranges and the gateway go to the parts that hold them.',
  resize: 'Larger or smaller in its place. Nothing in use is cut off, and no neighbour is taken in.',
  merge: 'Neighbours of one parent that make up one larger prefix. What is in them stays in use.',
};

interface Props {
  verb: Reshape;
  prefix: string;
  parent: string | null;
  length: number;
  onClose: () => void;
}

/** A prefix in another shape: what would go and what would come is seen first. */
export function ReshapeDrawer({ verb, prefix, parent, length, onClose }: Props) {
  const navigate = useNavigate();
  const [size, setSize] = useState(verb === 'split' ? length + 1 : length - 1);
  const [others, setOthers] = useState<string[]>([]);
  const beside = useQuery({
    queryKey: keys.worked('beside', prefix),
    queryFn: () => client.call('prefix.level', { query: { ...(parent ? { parent } : vrfOf(prefix)), limit: 500 } }),
    enabled: verb === 'merge',
  });
  const send = (apply: boolean, by = client): Promise<ReplyOf<'prefix.split'>> =>
    verb === 'merge'
      ? by.call('prefix.merge', { body: { prefixes: [prefix, ...others], apply } })
      : by.call(`prefix.${verb}`, { params: { ref: prefix }, body: { length: size, apply } });
  return (
    <LookDrawer
      title={`${titles[verb]} ${prefix}`}
      asked={[size, others]}
      ready={verb !== 'merge' || others.length > 0}
      look={() => send(false)}
      doing={({ added }) => `${titles[verb]} into ${added.length === 1 ? added[0] : `${added.length} prefixes`}`}
      act={async (by) => {
        const done = await send(true, by);
        void navigate(pathOf('prefix', done.added[0] ?? parent ?? prefix), { replace: true });
        return `${done.removed.join(', ')} → ${done.added.slice(0, 4).join(', ')}${done.added.length > 4 ? ' …' : ''}`;
      }}
      onClose={onClose}
      show={({ removed, added, dropped }) => (
        <dl className="facts" style={{ marginTop: 14 }}>
          <dt>Would go</dt>
          <dd className="mono">{removed.join(', ')}</dd>
          <dt>Would come</dt>
          <dd className="mono">
            {added.map((one) => (
              <div key={one}>{one}</div>
            ))}
          </dd>
          {dropped.length > 0 && (
            <>
              <dt>Not taken over</dt>
              <dd>
                {dropped.map(({ prefix: of, field, value }) => (
                  <div key={`${of} ${field} ${value}`}>
                    {titleOf(field)} of <span className="mono">{of}</span>: <span className="mono">{value}</span>
                  </div>
                ))}
              </dd>
            </>
          )}
        </dl>
      )}
    >
      {verb === 'merge' ? (
        <>
          <label htmlFor="merge-with">Together with</label>
          <Select
            id="merge-with"
            mode="multiple"
            className="mono"
            value={others}
            options={(beside.data?.items ?? [])
              .filter((item) => item.prefix !== prefix)
              .map((item) => ({ value: item.prefix, label: `${item.prefix}  ${item.description ?? ''}` }))}
            onChange={setOthers}
          />
        </>
      ) : (
        <>
          <label htmlFor="reshape-length">Length</label>
          <InputNumber
            id="reshape-length"
            autoFocus
            prefix="/"
            min={0}
            max={128}
            value={size}
            onChange={(next) => setSize(next ?? length)}
          />
        </>
      )}
      <p className="hint">{hints[verb]}</p>
    </LookDrawer>
  );
}

const titleOf = (field: string): string =>
  (kindOf('prefix').fields as Record<string, { title: string }>)[field]?.title ?? field;

const vrfOf = (key: string): { vrf?: string } => {
  const [, vrf] = key.split('@');
  return vrf === undefined ? {} : { vrf };
};
