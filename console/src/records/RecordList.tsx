import { Button, Table, type TableColumnType } from 'antd';
import { keepPreviousData, useInfiniteQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { Link, useNavigate, useSearchParams } from 'react-router';
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
import { Cell } from './Cell.tsx';
import { FilterInput } from './FilterInput.tsx';
import { GroupTabs } from './GroupTabs.tsx';
import { pathOf } from './paths.ts';
import { RecordDrawer } from './RecordDrawer.tsx';
import { Tick, TickAll, Ticks, useTicked } from './Ticks.tsx';
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
      title={section?.kinds[0] === kind ? section.title : k.titles}
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
  const items = (list.data?.pages.flatMap((page) => page.items) ?? []) as unknown as AnyRecord[];
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

const refOf = (record: AnyRecord): string => `#${record.id}`;

const tickColumn = (ticks: Ticks, items: AnyRecord[]): TableColumnType<AnyRecord> => ({
  key: 'tick',
  width: 36,
  title: <TickAll ticks={ticks} refs={items.map(refOf)} />,
  shouldCellUpdate: (record, before) => record !== before,
  // Beside the box is still the box: a near miss does not open the record.
  onCell: () => ({ onClick: (event) => event.stopPropagation() }),
  render: (_, record) => <Tick ticks={ticks} of={refOf(record)} label={record.key} />,
});

interface ActionProps {
  kind: KindName;
  ticks: Ticks;
  onEdit: (refs: string[]) => void;
  onRemove: (refs: string[]) => void;
  /** How many a selection lets through, where all of them can be edited. */
  all?: string;
  onEditAll?: () => void;
  onRemoveAll?: () => void;
}

/** What can be done with the ticked rows, or with all of a selection while none is ticked. */
function TickedActions({ kind, ticks, onEdit, onRemove, all, onEditAll, onRemoveAll }: ActionProps) {
  const ticked = useTicked(ticks);
  const k = kindOf(kind);
  const { tickedActions: More } = extrasOf(kind);
  if (ticked.length === 0)
    return onEditAll ? (
      <>
        <Button onClick={onEditAll}>Edit all {all}</Button>
        <Button onClick={onRemoveAll}>Remove all {all}</Button>
      </>
    ) : null;
  return (
    <>
      <Button onClick={() => onEdit([...ticked])}>
        Edit {ticked.length} {inSentence(ticked.length === 1 ? k.title : k.titles)}
      </Button>
      <Button onClick={() => onRemove([...ticked])}>Remove {ticked.length}</Button>
      {More && <More refs={[...ticked]} onDone={() => ticks.clear()} />}
    </>
  );
}

function columnsOf(k: KindDescription, kind: KindName): TableColumnType<AnyRecord>[] {
  return k.list.map((name) => {
    const field = k.fields[name];
    const sortable = name === 'key' || k.sort?.includes(name);
    return {
      key: name,
      title: name === 'key' ? k.title : field?.title,
      ...(sortable ? { sorter: true } : {}),
      ...(field?.type === 'int' ? { className: 'num' } : {}),
      ellipsis: field?.type === 'note',
      // A page more must not draw all rows anew.
      shouldCellUpdate: (record: AnyRecord, before: AnyRecord) => record !== before,
      render: (_: unknown, record: AnyRecord) =>
        name === 'key' ? (
          <Link className="mono" to={pathOf(kind, record.key)} onClick={(event) => event.stopPropagation()}>
            {record.key}
          </Link>
        ) : (
          field && <Cell name={name} field={field} value={record[name] ?? null} />
        ),
    };
  });
}

/** The rows that changed while somebody looked: they glow once. */
function useFresh(items: AnyRecord[]): Set<number> {
  const versions = useRef(new Map<number, number>());
  const fresh = new Set<number>();
  if (versions.current.size > 0) {
    for (const { id, version, updatedAt } of items) {
      const before = versions.current.get(id);
      const changed = before === undefined ? Date.now() - Date.parse(updatedAt) < 5000 : before !== version;
      if (changed) fresh.add(id);
    }
  }
  useEffect(() => {
    versions.current = new Map(items.map(({ id, version }) => [id, version]));
  });
  return fresh;
}
