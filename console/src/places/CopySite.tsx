import { Button, Input, Table } from 'antd';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import type { ReplyOf } from '@zpine/contract/routes';
import { kindOf } from '@zpine/contract/kinds';
import { client, problemOf } from '../api.ts';
import type { AnyRecord } from '@zpine/contract/kind';
import { PlanRows } from '../addressing/ApplyPlan.tsx';
import { LookDrawer } from '../look/LookDrawer.tsx';
import { inSentence } from '../look/words.ts';
import { pathOf } from '../records/paths.ts';
import { RefInput } from '../records/RefInput.tsx';
import { useMay } from '../session.tsx';

type Copied = ReplyOf<'site.copy'>;

/** The same landing again: looked at first, then made in one go. */
export default function CopySite({ record: site }: { record: AnyRecord }) {
  const [open, setOpen] = useState(false);
  if (!useMay('engineer')) return null;
  return (
    <>
      <Button onClick={() => setOpen(true)}>Copy site …</Button>
      {open && <CopyDrawer site={site} onClose={() => setOpen(false)} />}
    </>
  );
}

function CopyDrawer({ site, onClose }: { site: AnyRecord; onClose: () => void }) {
  const navigate = useNavigate();
  const [code, setCode] = useState('');
  const [title, setTitle] = useState('');
  const [plan, setPlan] = useState<string | null>(null);
  const [names, setNames] = useState<Record<string, string>>({});
  const [nameless, setNameless] = useState<string[]>([]);
  const body = { code, ...(title ? { title } : {}), ...(plan ? { plan } : {}), names };
  const params = { ref: site.key };
  /** Devices whose names do not have the code in them are asked for. */
  const refused = (error: unknown): string | undefined => {
    const { errors = [] } = problemOf(error);
    setNameless(errors.filter((fault) => fault.code === 'copy-name').map((fault) => String(fault.params.name)));
    return errors.length > 0 ? errors.map((fault) => fault.detail).join('; ') : undefined;
  };
  return (
    <LookDrawer
      title={`The same as ${site.key.toUpperCase()} again`}
      size={620}
      asked={body}
      ready={code !== ''}
      look={() => client.call('site.copy', { params, body })}
      onRefused={refused}
      doing={(seen) => `Make ${seen.site.toUpperCase()}`}
      act={async (by) => {
        const made = await by.call('site.copy', { params, body: { ...body, apply: true } });
        void navigate(pathOf('site', made.site));
        return `${made.site} is like ${site.key}`;
      }}
      onClose={onClose}
      show={(seen) => <Seen seen={seen} />}
    >
      <label htmlFor="copy-code">Code of the new site</label>
      <Input
        id="copy-code"
        className="mono"
        autoFocus
        placeholder="bel"
        value={code}
        onChange={(e) => setCode(e.target.value)}
      />
      <label htmlFor="copy-title">Title</label>
      <Input id="copy-title" placeholder="Bellhaven" value={title} onChange={(e) => setTitle(e.target.value)} />
      <label htmlFor="copy-plan">Site plan</label>
      <RefInput id="copy-plan" kind="siteplan" value={plan} onChange={setPlan} />
      <p className="hint">With a plan it gets its own blocks, prefixes and addresses.</p>
      {nameless.map((name) => (
        <div key={name}>
          <label htmlFor={`copy-${name}`}>
            New name of <span className="mono">{name}</span>
          </label>
          <Input
            id={`copy-${name}`}
            className="mono"
            value={names[name] ?? ''}
            onChange={(e) => setNames({ ...names, [name]: e.target.value })}
          />
        </div>
      ))}
    </LookDrawer>
  );
}

function Seen({ seen }: { seen: Copied }) {
  const counts = Object.entries(seen.counts).map(([kind, n]) => {
    const k = kindOf(kind);
    return `${n} ${inSentence(n === 1 ? k.title : k.titles)}`;
  });
  const reasons = [...new Set(seen.left.map((one) => `${one.kind}: ${one.why}`))];
  return (
    <>
      <h2 className="section-title">Would be created</h2>
      <p>{counts.join(', ')}</p>
      {reasons.length > 0 && (
        <>
          <h2 className="section-title">
            Left out <span className="second">{seen.left.length}</span>
          </h2>
          <ul>
            {reasons.map((reason) => (
              <li key={reason}>
                {reason}:{' '}
                <span className="mono second">
                  {seen.left
                    .filter((one) => `${one.kind}: ${one.why}` === reason)
                    .map((one) => one.key)
                    .slice(0, 8)
                    .join(', ')}
                </span>
              </li>
            ))}
          </ul>
        </>
      )}
      {seen.planned.length > 0 && (
        <>
          <h2 className="section-title">By the site plan</h2>
          <PlanRows rows={seen.planned} />
        </>
      )}
      <Table
        size="small"
        rowKey="key"
        dataSource={seen.items.filter((item) => item.kind !== 'vlan' && item.kind !== 'filler')}
        pagination={{ pageSize: 12, hideOnSinglePage: true, showSizeChanger: false }}
        columns={[
          { title: 'Kind', dataIndex: 'kind' },
          { title: 'New', render: (_, item) => <span className="mono">{item.key}</span> },
          { title: 'Like', render: (_, item) => <span className="mono second">{item.from}</span> },
        ]}
      />
    </>
  );
}
