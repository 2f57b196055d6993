import { Button, Drawer, Input, Table } from 'antd';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { type ReplyOf } from '@zpine/contract/routes';
import { kindOf, type KindName } from '@zpine/contract/kinds';
import { client, problemOf, type AnyRecord } from '../api.ts';
import { useAttempt } from '../look/attempt.tsx';
import { inSentence } from '../look/words.ts';
import { pathOf } from '../records/paths.ts';
import { useMay } from '../session.tsx';

type Copied = ReplyOf<'site.copy'>;

/** The same landing again: looked at first, then made in one go. */
export function CopySite({ site }: { site: AnyRecord }) {
  const [open, setOpen] = useState(false);
  if (!useMay('engineer')) return null;
  return (
    <>
      <Button onClick={() => setOpen(true)}>The same again …</Button>
      {open && <CopyDrawer site={site} onClose={() => setOpen(false)} />}
    </>
  );
}

function CopyDrawer({ site, onClose }: { site: AnyRecord; onClose: () => void }) {
  const attempt = useAttempt();
  const navigate = useNavigate();
  const [code, setCode] = useState('');
  const [title, setTitle] = useState('');
  const [names, setNames] = useState<Record<string, string>>({});
  const [asked, setAsked] = useState<string[]>([]);
  const [seen, setSeen] = useState<Copied>();
  const [refused, setRefused] = useState<string>();
  const [busy, setBusy] = useState(false);
  const body = { code, ...(title ? { title } : {}), names };
  const params = { ref: site.key };
  const look = async () => {
    setBusy(true);
    setRefused(undefined);
    setSeen(undefined);
    try {
      setSeen(await client.call('site.copy', { params, body }));
    } catch (error) {
      const problem = problemOf(error);
      const nameless = (problem.errors ?? []).filter((fault) => fault.code === 'copy-name');
      setAsked(nameless.map((fault) => String(fault.params.name)));
      const faults = (problem.errors ?? []).map((fault) => fault.detail);
      setRefused([...(faults.length > 0 ? faults : [problem.detail])].join('; '));
    } finally {
      setBusy(false);
    }
  };
  const make = () =>
    void attempt(async () => {
      const made = await client.call('site.copy', { params, body: { ...body, apply: true } });
      onClose();
      void navigate(pathOf('site', made.site));
      return `${made.site} is like ${site.key}`;
    });
  const change = (work: () => void) => {
    work();
    setSeen(undefined);
  };
  return (
    <Drawer
      open
      size={560}
      title={`The same as ${site.key.toUpperCase()} again`}
      onClose={onClose}
      footer={
        <div style={{ display: 'flex', gap: 8 }}>
          <Button type={seen ? 'default' : 'primary'} loading={busy} disabled={code === ''} onClick={() => void look()}>
            Look
          </Button>
          {seen && (
            <Button type="primary" onClick={make}>
              Make {seen.site.toUpperCase()}
            </Button>
          )}
          <Button type="text" onClick={onClose}>
            Cancel
          </Button>
        </div>
      }
    >
      <div className="form">
        <label htmlFor="copy-code">Code of the new site</label>
        <Input
          id="copy-code"
          className="mono"
          autoFocus
          placeholder="bel"
          value={code}
          onChange={(e) => change(() => setCode(e.target.value))}
          onPressEnter={() => void look()}
        />
        <label htmlFor="copy-title">Title</label>
        <Input
          id="copy-title"
          placeholder="Bellhaven"
          value={title}
          onChange={(e) => change(() => setTitle(e.target.value))}
        />
        {asked.map((name) => (
          <div key={name}>
            <label htmlFor={`copy-${name}`}>
              New name of <span className="mono">{name}</span>
            </label>
            <Input
              id={`copy-${name}`}
              className="mono"
              value={names[name] ?? ''}
              onChange={(e) => change(() => setNames({ ...names, [name]: e.target.value }))}
            />
          </div>
        ))}
        {refused && (
          <div className="refused" role="alert">
            {refused}
          </div>
        )}
        {seen && <Seen seen={seen} />}
      </div>
    </Drawer>
  );
}

function Seen({ seen }: { seen: Copied }) {
  const counts = Object.entries(seen.counts).map(([kind, n]) => {
    const k = kindOf(kind as KindName);
    return `${n} ${inSentence(n === 1 ? k.title : k.titles)}`;
  });
  const reasons = [...new Set(seen.left.map((one) => `${one.kind}: ${one.why}`))];
  return (
    <>
      <h2 className="section-title">Would come into being</h2>
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
