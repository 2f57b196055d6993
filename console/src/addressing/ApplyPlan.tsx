import { Button, Table } from 'antd';
import { useState } from 'react';
import type { PlanRow } from '@zpine/contract/planShapes';
import { client } from '../api.ts';
import { LookDrawer } from '../look/LookDrawer.tsx';
import { RefInput } from '../records/RefInput.tsx';
import { useMay } from '../session.tsx';

/** A site plan for a site: all that it would get is seen first, then made in one go. */
export default function ApplyPlan({ plan }: { plan: string }) {
  const [open, setOpen] = useState(false);
  if (!useMay('engineer')) return null;
  return (
    <>
      <Button type="primary" onClick={() => setOpen(true)}>
        Apply to a site …
      </Button>
      {open && <ApplyDrawer plan={plan} onClose={() => setOpen(false)} />}
    </>
  );
}

function ApplyDrawer({ plan, onClose }: { plan: string; onClose: () => void }) {
  const [site, setSite] = useState<string | null>(null);
  const send = (apply: boolean, by = client) =>
    by.call('siteplan.apply', { params: { ref: plan }, body: { site: site ?? '', apply } });
  return (
    <LookDrawer
      title={`Apply ${plan}`}
      size={760}
      asked={site}
      ready={site !== null}
      look={() => send(false)}
      doing={(seen) => (seen.new === 0 ? undefined : `Add ${seen.new} at ${seen.site.toUpperCase()}`)}
      act={async (by) => {
        const done = await send(true, by);
        return `${done.new} added at ${done.site.toUpperCase()}`;
      }}
      onClose={onClose}
      show={(seen) => (
        <>
          <h2 className="section-title">
            {seen.new === 0 ? 'It has all of it' : `${seen.new} new`}{' '}
            <span className="second">{seen.rows.length - seen.new} there already</span>
          </h2>
          <PlanRows rows={seen.rows} />
        </>
      )}
    >
      <label htmlFor="plan-site">Site</label>
      <RefInput id="plan-site" kind="site" value={site} onChange={setSite} />
      <p className="hint">What the site has already stays as it is.</p>
    </LookDrawer>
  );
}

/** What a plan gives: new ones with a plus, what is there already set back. */
export function PlanRows({ rows }: { rows: PlanRow[] }) {
  return (
    <Table<PlanRow>
      size="small"
      rowKey={(row) => `${row.step} ${row.kind} ${row.what}`}
      dataSource={rows}
      pagination={{ pageSize: 25, hideOnSinglePage: true, showSizeChanger: false }}
      rowClassName={(row) => (row.there ? 'second' : '')}
      columns={[
        { title: 'Step', dataIndex: 'step', align: 'right', width: 52 },
        { title: '', width: 24, render: (_, row) => (row.there ? '=' : '+') },
        { title: 'Kind', dataIndex: 'kind', width: 84 },
        { title: 'What', render: (_, row) => <span className="mono nowrap">{row.what}</span> },
        { title: '', render: (_, row) => (row.there ? 'there already' : row.detail) },
      ]}
    />
  );
}
