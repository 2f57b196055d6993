import { countWords } from '@zpine/core/addressing/count';
import { Button, Select } from 'antd';
import { useInfiniteQuery, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { countText } from '@zpine/contract/counting';
import { Link, useSearchParams } from 'react-router';
import type { ReplyOf } from '@zpine/contract/routes';
import { client, keys } from '../api.ts';
import { Page } from '../look/Page.tsx';
import { GroupTabs } from '../records/GroupTabs.tsx';
import { pathOf } from '../records/paths.ts';
import { RecordDrawer } from '../records/RecordDrawer.tsx';
import { useMay } from '../session.tsx';
import { TwoPartFill } from './Fill.tsx';

type Item = ReplyOf<'prefix.level'>['items'][number];

const LEVEL = 100;
/** A second level of at most so many is open from the beginning. */
const OPEN_SECOND = 12;

/** The tree of prefixes of a VRF, loaded and opened level by level. */
export default function PrefixTree() {
  const [params, setParams] = useSearchParams();
  const vrf = params.get('vrf') ?? 'default';
  const [adding, setAdding] = useState(false);
  const may = useMay('engineer');
  const vrfs = useQuery({ queryKey: keys.list('vrf', {}), queryFn: () => client.list('vrf', { limit: 200 }) });
  const all = { vrf, limit: 1, count: 'true' };
  const counted = useQuery({ queryKey: keys.list('prefix', all), queryFn: () => client.list('prefix', all) });
  const { count, countIs } = counted.data ?? {};
  return (
    <Page
      title="Addressing"
      sentence={`${count === undefined ? '…' : countText(count, countIs)} prefixes in VRF ${vrf}, each inside the smallest that covers it.`}
      actions={
        <>
          <Link to="/names">
            <Button>Names …</Button>
          </Link>
          <Link to="/lookup">
            <Button>Look up …</Button>
          </Link>
          {may && (
            <Button type="primary" onClick={() => setAdding(true)}>
              Add a prefix
            </Button>
          )}
        </>
      }
    >
      <GroupTabs kind="prefix" />
      <div className="filters">
        <Select
          aria-label="VRF"
          style={{ minWidth: 170 }}
          value={vrf}
          options={(vrfs.data?.items ?? []).map((v) => ({ value: v.key, label: `VRF ${v.key}` }))}
          onChange={(next: string) => setParams(next === 'default' ? {} : { vrf: next }, { replace: true })}
        />
      </div>
      {count === 0 ? (
        <p className="second">No prefixes here yet: add the block that everything else is carved from.</p>
      ) : (
        <table className="tree panel" aria-label="Prefixes">
          <thead>
            <tr>
              <th>Prefix</th>
              <th>Description</th>
              <th>Site</th>
              <th>VLAN</th>
              <th>Use</th>
              <th>Taken</th>
              <th className="right">Free addresses</th>
            </tr>
          </thead>
          <tbody>
            <Level key={vrf} of={{ vrf }} depth={0} />
          </tbody>
        </table>
      )}
      <div className="legend">
        <span>
          <span className="cell child" /> given to prefixes inside
        </span>
        <span>
          <span className="cell fixed" /> taken by addresses, ranges and the gateway
        </span>
      </div>
      {adding && <RecordDrawer kind="prefix" preset={{ vrf }} onClose={() => setAdding(false)} />}
    </Page>
  );
}

function Level({ of, depth }: { of: { vrf: string } | { parent: string }; depth: number }) {
  const level = useInfiniteQuery({
    queryKey: keys.worked('level', JSON.stringify(of)),
    queryFn: ({ pageParam }) =>
      client.call('prefix.level', {
        query: { ...of, limit: LEVEL, ...(pageParam === null ? {} : { after: pageParam }) },
      }),
    initialPageParam: null as string | null,
    getNextPageParam: (page) => page.next,
  });
  const items = level.data?.pages.flatMap((page) => page.items) ?? [];
  return (
    <>
      {items.map((item) => (
        <Row key={item.prefix} item={item} depth={depth} few={items.length <= OPEN_SECOND} />
      ))}
      {level.hasNextPage && (
        <tr>
          <td colSpan={7} style={{ paddingLeft: 16 + 20 * depth }}>
            <Button size="small" loading={level.isFetchingNextPage} onClick={() => void level.fetchNextPage()}>
              {LEVEL} more
            </Button>
          </td>
        </tr>
      )}
    </>
  );
}

function Row({ item, depth, few }: { item: Item; depth: number; few: boolean }) {
  const [open, setOpen] = useState(depth === 0 || (depth === 1 && few && !item.prefix.includes(':')));
  const inside = item.nested;
  return (
    <>
      <tr>
        <td className="nowrap" style={{ paddingLeft: 10 + 20 * depth }}>
          {inside ? (
            <button
              type="button"
              className="opener"
              aria-expanded={open}
              aria-label={`${open ? 'Close' : 'Open'} ${item.prefix}`}
              onClick={() => setOpen(!open)}
            >
              {open ? '▾' : '▸'}
            </button>
          ) : (
            <span className="opener" aria-hidden />
          )}
          <Link className="mono" to={pathOf('prefix', item.prefix)}>
            {item.prefix.split('@')[0]}
          </Link>
        </td>
        <td>{item.description}</td>
        <td>{item.site?.toUpperCase()}</td>
        <td className="mono">{item.vlan?.split('/').at(-1)}</td>
        <td>{item.use}</td>
        <td>
          <TwoPartFill percent={item.fillPercent} given={item.givenPercent} />
        </td>
        <td className="right">{countWords(item.free)}</td>
      </tr>
      {open && inside && <Level of={{ parent: item.prefix }} depth={depth + 1} />}
    </>
  );
}
