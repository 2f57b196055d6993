import { Button, Select, Table } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate, useSearchParams } from 'react-router';
import { client, keys, type AnyRecord } from '../api.ts';
import { Page } from '../look/Page.tsx';
import { GroupTabs } from '../records/GroupTabs.tsx';
import { pathOf } from '../records/paths.ts';
import { RecordDrawer } from '../records/RecordDrawer.tsx';
import { useMay } from '../session.tsx';
import { Fill } from './Fill.tsx';

interface Node {
  id: number;
  record: AnyRecord;
  children?: Node[];
}

const LEVEL = 200;

/** The tree of prefixes of a VRF, opened level by level. */
export default function PrefixTree() {
  const [params, setParams] = useSearchParams();
  const vrf = params.get('vrf') ?? 'default';
  const [adding, setAdding] = useState(false);
  const may = useMay('engineer');
  const vrfs = useQuery({ queryKey: keys.list('vrf', {}), queryFn: () => client.list('vrf', { limit: 200 }) });
  const everything = useQuery({ queryKey: keys.list('prefix', { vrf }), queryFn: () => loadTree(vrf) });
  const { roots = [], count = 0, cut = false } = everything.data ?? {};
  return (
    <Page
      title="Addressing"
      sentence={`${count} prefixes in VRF ${vrf}, each inside the smallest that covers it.`}
      actions={
        <>
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
        {cut && <span className="second">Only the first {MOST} prefixes are shown here.</span>}
      </div>
      <Tree roots={roots} busy={everything.isPending} />
      {adding && <RecordDrawer kind="prefix" preset={{ vrf }} onClose={() => setAdding(false)} />}
    </Page>
  );
}

const MOST = 2000;

/** Prefixes come in the order of their addresses, so that a parent always stands before its children. */
async function loadTree(vrf: string): Promise<{ roots: Node[]; count: number; cut: boolean }> {
  const roots: Node[] = [];
  const byKey = new Map<string, Node>();
  let after: string | undefined;
  let count = 0;
  do {
    const page = await client.list('prefix', { vrf, limit: LEVEL, count: 'true', after });
    count = page.count ?? count;
    for (const record of page.items as unknown as AnyRecord[]) {
      const node: Node = { id: record.id, record };
      byKey.set(record.key, node);
      const parent = typeof record.parent === 'string' ? byKey.get(record.parent) : undefined;
      if (parent) (parent.children ??= []).push(node);
      else roots.push(node);
    }
    after = page.next ?? undefined;
  } while (after !== undefined && byKey.size < MOST);
  return { roots, count, cut: after !== undefined };
}

function Tree({ roots, busy }: { roots: Node[]; busy: boolean }) {
  const navigate = useNavigate();
  if (busy) return null;
  return (
    <Table<Node>
      size="small"
      rowKey="id"
      dataSource={roots}
      pagination={false}
      expandable={{ defaultExpandedRowKeys: openAtFirst(roots), indentSize: 18 }}
      onRow={({ record }) => ({ onClick: () => void navigate(pathOf('prefix', record.key)) })}
      locale={{ emptyText: 'No prefixes here yet: add the block that everything else is carved from' }}
      columns={[
        {
          title: 'Prefix',
          render: (_, { record: r }) => (
            <Link className="mono nowrap" to={pathOf('prefix', r.key)} onClick={(e) => e.stopPropagation()}>
              {String(r.cidr)}
            </Link>
          ),
        },
        { title: 'Description', dataIndex: ['record', 'description'] },
        { title: 'Site', render: (_, { record: r }) => (typeof r.site === 'string' ? r.site.toUpperCase() : '') },
        {
          title: 'VLAN',
          render: (_, { record: r }) =>
            typeof r.vlan === 'string' ? <span className="mono">{r.vlan.split('/').at(-1)}</span> : '',
        },
        { title: 'Use', dataIndex: ['record', 'use'] },
        { title: 'Fill', width: 150, render: (_, { record: r }) => <RowFill cidr={r.key} /> },
      ]}
    />
  );
}

/** The whole of a small tree is open; of a large one the first two levels. */
function openAtFirst(roots: Node[]): number[] {
  const open = roots.filter((r) => r.children).map((r) => r.id);
  const second = roots.flatMap((r) => r.children ?? []).filter((c) => c.children);
  return second.length <= 12
    ? [...open, ...second.filter((c) => !String(c.record.cidr).includes(':')).map((c) => c.id)]
    : open;
}

function RowFill({ cidr }: { cidr: string }) {
  const space = useQuery({
    queryKey: keys.worked('space', cidr),
    queryFn: () => client.call('prefix.space', { params: { ref: cidr } }),
  });
  return space.data ? <Fill percent={space.data.fillPercent} /> : null;
}
