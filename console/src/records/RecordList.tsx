import { Button, Table } from 'antd';
import { keepPreviousData, useInfiniteQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import type { Field } from '@zpine/contract/fields';
import { type AnyRecord, fieldsOf, type KindDescription } from '@zpine/contract/kind';
import { kindOf, type KindName } from '@zpine/contract/kinds';
import { countText } from '@zpine/contract/counting';
import { client, keys, problemOf, queries } from '../api.ts';
import { inSentence, withArticle } from '../look/words.ts';
import { Page } from '../look/Page.tsx';
import { ToTheEnd } from '../look/ToTheEnd.tsx';
import { useMay } from '../session.tsx';
import { extrasOf } from '../kinds/registry.ts';
import { sectionOf } from '../shell/navigation.ts';
import { BulkDrawer } from './BulkDrawer.tsx';
import { Removal } from './Removal.tsx';
import { columnsOf, tickColumn } from './columns.tsx';
import { useFresh } from './fresh.ts';
import { TickedActions } from './TickedActions.tsx';
import { FilterInput } from './FilterInput.tsx';
import { GroupTabs } from './GroupTabs.tsx';
import { pathOf } from './paths.ts';
import { RecordDrawer } from './RecordDrawer.tsx';
import { Ticks } from './Ticks.tsx';
import { Views } from './Views.tsx';
import { WhereInput } from './WhereInput.tsx';

/** The list of a kind: filters in the URL, page by page from the server. */
export default function RecordList({ kind }: { kind: KindName }) {
  const k = kindOf(kind);
  const navigate = useNavigate();
  const [adding, setAdding] = useState(false);
  const [counted, setCounted] = useState<{ count: number; text: string }>();
  const may = useMay('engineer');
  const section = sectionOf(kind);
  const { addWords, listActions: ListActions } = extrasOf(kind);
  const words =
    counted === undefined
      ? ''
      : `${counted.text.charAt(0).toUpperCase()}${counted.text.slice(1)} ${inSentence(counted.count === 1 ? k.title : k.titles)}. `;
  return (
    <Page
      title={section?.kinds[0] === kind && section.lead === undefined ? section.title : k.titles}
      sentence={`${words}${k.about}`}
      actions={
        may && (
          <>
            {ListActions && <ListActions />}
            <Button onClick={() => void navigate(`/import?kind=${kind}`)}>Import</Button>
            <Button type="primary" onClick={() => setAdding(true)}>
              {addWords ?? `Add ${withArticle(inSentence(k.title))}`}
            </Button>
          </>
        )
      }
    >
      <GroupTabs kind={kind} />
      <RecordTable kind={kind} onCount={setCounted} onAdd={may ? () => setAdding(true) : undefined} />
      {adding && <RecordDrawer kind={kind} onClose={() => setAdding(false)} />}
    </Page>
  );
}

/** A selection that makes sense for the kind. */
const exampleOf = (k: KindDescription, kind: KindName): string =>
  extrasOf(kind).example ?? (fieldsOf(k).some(([name]) => name === 'site') ? 'site=ard' : 'label=spare');

const isSelection = (typed: string): boolean => /[=<>(]/.test(typed);

/** Which fields a list offers to narrow by: references and choices among its columns. */
const filtersOf = (k: KindDescription): [string, Field][] =>
  fieldsOf(k).filter(
    ([name, field]) =>
      k.list.includes(name) && (field.type === 'ref' || field.type === 'choice' || field.type === 'bool'),
  );

interface TableProps {
  kind: KindName;
  onCount: (counted: { count: number; text: string }) => void;
  onAdd: (() => void) | undefined;
}

function RecordTable({ kind, onCount, onAdd }: TableProps) {
  const k = kindOf(kind);
  const navigate = useNavigate();
  const [params, setParams] = useSearchParams();
  const [typed, setTyped] = useState(params.get('where') ?? params.get('q') ?? '');
  const filters = Object.fromEntries(
    [...params].filter(([name]) => name in k.fields || ['q', 'sort', 'where'].includes(name)),
  );
  const set = (name: string, value: string | null) =>
    setParams(
      (before) => {
        const next = new URLSearchParams(before);
        if (value) next.set(name, value);
        else next.delete(name);
        return next;
      },
      { replace: true },
    );
  useEffect(() => {
    // A beginning of a key, or a selection: whoever types a test means the latter.
    const name = isSelection(typed) ? 'where' : 'q';
    const timer = setTimeout(() => {
      if (typed === (params.get('where') ?? params.get('q') ?? '')) return;
      setParams(
        (before) => {
          const next = new URLSearchParams(before);
          next.delete('q');
          next.delete('where');
          if (typed) next.set(name, typed);
          return next;
        },
        { replace: true },
      );
    }, 300);
    return () => clearTimeout(timer);
  });

  const list = useInfiniteQuery({
    queryKey: keys.list(kind, filters),
    queryFn: ({ pageParam }) =>
      // Counted once: the pages behind the first one are larger, so that fewer are asked for anew when something changes.
      client.list(kind, {
        ...filters,
        ...(pageParam ? { limit: 80, after: pageParam } : { limit: 60, count: 'true' }),
      }),
    initialPageParam: '',
    getNextPageParam: (page) => page.next ?? undefined,
    placeholderData: keepPreviousData,
  });
  const items = (list.data?.pages.flatMap((page) => page.items) ?? []) as AnyRecord[];
  const { count, countIs } = list.data?.pages[0] ?? {};
  const countWords = countText(count ?? 0, countIs);
  useEffect(() => {
    if (count !== undefined) onCount({ count, text: countWords });
  }, [count, countWords, onCount]);
  const may = useMay('engineer');
  const [ticks] = useState(() => new Ticks());
  const [most, setMost] = useState(MOST_ROWS);
  const [bulk, setBulk] = useState<{ refs: string[] } | { where: string }>();
  const [removing, setRemoving] = useState<{ refs: string[] } | { where: string }>();
  const narrowed = Object.keys(filters).some((name) => name !== 'sort');
  const fresh = useFresh(items);
  const good = useRef(items);
  if (list.isSuccess) good.current = items;

  // A selection is often half typed: what was shown stays, with the reason beside it.
  const half = list.isError && params.has('where') ? problemOf(list.error) : undefined;
  if (list.isError && !half) {
    const problem = problemOf(list.error);
    return (
      <div className="refused" role="alert">
        {problem.detail} <Button onClick={() => setParams({})}>Show all</Button>
      </div>
    );
  }
  if (list.isSuccess && items.length === 0 && !narrowed) {
    return (
      <div className="panel empty">
        <strong>No {inSentence(k.titles)} yet</strong>
        {k.about}
        {onAdd && (
          <div>
            <Button type="primary" onClick={onAdd}>
              Add the first {inSentence(k.title)}
            </Button>
          </div>
        )}
      </div>
    );
  }
  return (
    <>
      <div className="filters">
        <WhereInput
          kind={kind}
          wrong={half !== undefined}
          placeholder={`key begins with, or ${exampleOf(k, kind)}`}
          ariaLabel="Key begins with, or a selection"
          value={typed}
          onChange={setTyped}
        />
        <Views
          kind={kind}
          filters={filters}
          onShow={(query) => {
            setParams(query);
            setTyped(query.where ?? query.q ?? '');
          }}
        />
        {filtersOf(k).map(([name, field]) => (
          <FilterInput
            key={name}
            name={name}
            field={field}
            value={params.get(name)}
            onChange={(value) => set(name, value)}
          />
        ))}
        {narrowed && (
          <Button
            type="text"
            onClick={() => {
              setTyped('');
              setParams({});
            }}
          >
            Show all
          </Button>
        )}
        {may && (
          <TickedActions
            kind={kind}
            ticks={ticks}
            onEdit={(refs) => setBulk({ refs })}
            onRemove={(refs) => setRemoving({ refs })}
            {...(params.has('where') && !half && (count ?? 0) > 0
              ? {
                  all: countWords,
                  onEditAll: () => setBulk({ where: params.get('where') ?? '' }),
                  onRemoveAll: () => setRemoving({ where: params.get('where') ?? '' }),
                }
              : {})}
          />
        )}
        <span className="count">{count === undefined ? '' : `${countWords} ${narrowed ? 'match' : 'in all'}`}</span>
      </div>
      {half && (
        <pre className="refused mono" role="alert">
          {half.detail}
        </pre>
      )}
      <Table<AnyRecord>
        size="small"
        rowKey="id"
        dataSource={half ? good.current : items}
        columns={[...(may ? [tickColumn(ticks, items)] : []), ...columnsOf(k, kind)]}
        pagination={false}
        loading={list.isPending}
        rowClassName={(record) => (fresh.has(record.id) ? 'fresh' : '')}
        onRow={(record) => ({ onClick: () => void navigate(pathOf(kind, record.key)) })}
        onChange={(_page, _filters, sorter) => {
          const { columnKey, order } = Array.isArray(sorter) ? (sorter[0] ?? {}) : sorter;
          set('sort', order ? `${order === 'descend' ? '-' : ''}${String(columnKey)}` : null);
        }}
        locale={{ emptyText: half ? ' ' : 'Nothing matches these filters' }}
      />
      {list.hasNextPage && items.length >= most && (
        <div className="more">
          The first {items.length.toLocaleString('en')} of {countWords}; narrow them above, or{' '}
          <Button size="small" onClick={() => setMost(items.length + MOST_ROWS)}>
            show more
          </Button>
        </div>
      )}
      {list.hasNextPage && items.length < most && (
        <ToTheEnd
          onSeen={() => void list.fetchNextPage()}
          busy={list.isFetchingNextPage}
          left={(count ?? 0) - items.length}
        />
      )}
      {removing && (
        <Removal
          kind={kind}
          which={removing}
          title={titleOf(k, 'refs' in removing ? removing.refs.length : (count ?? 0))}
          onClose={() => setRemoving(undefined)}
          onRemoved={() => {
            setRemoving(undefined);
            ticks.clear();
            void queries.invalidateQueries();
          }}
        />
      )}
      {bulk && (
        <BulkDrawer
          kind={kind}
          which={bulk}
          count={'refs' in bulk ? bulk.refs.length : (count ?? 0)}
          onClose={() => setBulk(undefined)}
          onDone={() => {
            setBulk(undefined);
            ticks.clear();
          }}
        />
      )}
    </>
  );
}

/** Beyond so many rows nobody reads on, and the page would grow slow. */
const MOST_ROWS = 500;

const titleOf = (k: KindDescription, n: number): string => `${n} ${inSentence(n === 1 ? k.title : k.titles)}`;
