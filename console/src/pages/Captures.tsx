import { Button, Input, Select, Switch } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { Link, useNavigate, useParams, useSearchParams } from 'react-router';
import { client, keys, problemOf } from '../api.ts';
import { DiffLines } from '../fleet/DiffLines.tsx';
import { FleetTabs } from '../fleet/FleetTabs.tsx';
import { Ago } from '../look/Ago.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { Page } from '../look/Page.tsx';
import { exact } from '../look/time.ts';
import { pathOf } from '../records/paths.ts';
import { useMay } from '../session.tsx';
import { useState } from 'react';

/** Captured configurations: searched, listed. */
export default function Captures() {
  const [params, setParams] = useSearchParams();
  const text = params.get('q') ?? '';
  const missing = params.get('missing') === 'true';
  const set = (next: Record<string, string>) => setParams(next, { replace: true });
  const found = useQuery({
    queryKey: keys.worked('capture-search', text, missing),
    queryFn: () => client.call('capture.search', { query: { q: text, ...(missing ? { missing: 'true' } : {}) } }),
    enabled: text.trim().length > 1,
    placeholderData: (before) => before,
  });
  return (
    <Page title="Captures" sentence="The configurations that devices have, kept whenever they changed; secrets masked.">
      <FleetTabs here="captures" />
      <div className="toolbar">
        <Input
          aria-label="Text in captures"
          className="mono"
          allowClear
          style={{ maxWidth: 380 }}
          placeholder="a text in all current captures"
          value={text}
          onChange={(event) =>
            set({ ...(event.target.value ? { q: event.target.value } : {}), ...(missing ? { missing: 'true' } : {}) })
          }
        />
        <label className="second">
          <Switch
            size="small"
            checked={missing}
            onChange={(on) => set({ ...(text ? { q: text } : {}), ...(on ? { missing: 'true' } : {}) })}
          />{' '}
          those without it
        </label>
        {found.data && text.trim().length > 1 && (
          <span className="second">
            {found.data.items.length}
            {found.data.more ? ' and more' : ''} in {found.data.searched} captures
          </span>
        )}
      </div>
      {text.trim().length > 1 ? (
        <table className="plain-table">
          <tbody>
            {found.data?.items.map((one, i) => (
              <tr key={i}>
                <td className="mono">
                  <Link to={pathOf('device', one.device)}>{one.device}</Link>
                </td>
                <td>
                  <Link to={`/captures/${one.id}`}>{one.file}</Link>
                </td>
                <td className="number second">{one.line > 0 ? one.line : ''}</td>
                <td className="mono">{one.text}</td>
              </tr>
            ))}
          </tbody>
        </table>
      ) : (
        <CaptureList query={{ current: 'true', limit: '200' }} />
      )}
    </Page>
  );
}

export function CaptureList({ query }: { query: Record<string, string> }) {
  const list = useQuery({
    queryKey: keys.worked('captures', query),
    queryFn: () => client.call('capture.list', { query: query }),
  });
  const items = list.data?.items ?? [];
  if (list.isError) return <div className="refused">{problemOf(list.error).detail}</div>;
  if (list.data && items.length === 0)
    return (
      <div className="panel">
        <div className="empty">
          <strong>Nothing was captured yet</strong>
          Capture devices on the page Runs, or by plan: the setting capture.hours says how often.
        </div>
      </div>
    );
  return (
    <table className="plain-table">
      <thead>
        <tr>
          <th>Device</th>
          <th>File</th>
          <th className="number">Size</th>
          <th>Fingerprint</th>
          <th>First seen</th>
          <th>Last seen</th>
        </tr>
      </thead>
      <tbody>
        {items.map((one) => (
          <tr key={one.id}>
            <td className="mono">
              <Link to={pathOf('device', one.device)}>{one.device}</Link>
            </td>
            <td>
              <Link to={`/captures/${one.id}`}>{one.file}</Link>
              {!one.current && <span className="second"> earlier</span>}
            </td>
            <td className="number">{one.gone ? 'gone' : `${one.bytes.toLocaleString('en')} B`}</td>
            <td className="mono second">{one.fingerprint.slice(0, 12)}</td>
            <td className="second">
              <Ago at={one.firstAt} />
            </td>
            <td className="second">
              <Ago at={one.lastAt} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** One captured file, and what changed since the version before. */
export function CapturePage() {
  const { id = '' } = useParams();
  const navigate = useNavigate();
  const attempt = useAttempt();
  const may = useMay('engineer');
  const [against, setAgainst] = useState<number>();
  const [revealed, setRevealed] = useState<string>();
  const found = useQuery({
    queryKey: keys.worked('capture', id),
    queryFn: () => client.call('capture.show', { params: { id } }),
  });
  const one = found.data;
  const versions = useQuery({
    queryKey: keys.worked('versions', one?.device ?? '', one?.file ?? ''),
    queryFn: () =>
      client.call('capture.list', {
        query: { device: one?.device ?? '', file: one?.file ?? '', limit: '100' },
      }),
    enabled: one !== undefined,
  });
  const others = (versions.data?.items ?? []).filter((other) => other.id !== one?.id);
  const before = against ?? others.find((other) => other.id < Number(id))?.id;
  const diff = useQuery({
    queryKey: keys.worked('capture-diff', before ?? 0, id),
    queryFn: () => client.call('capture.diff', { query: { from: String(before), to: id } }),
    enabled: before !== undefined && one?.binary === false,
  });
  const restore = () =>
    void attempt(async () => {
      const { id: run } = await client.call('run.restore', { body: { captures: [Number(id)] } });
      void navigate(`/fleet/${run}`);
      return 'what would be changed is being looked at';
    });
  const reveal = () =>
    void attempt(async () => {
      const { text } = await client.call('capture.reveal', { params: { id }, body: {} });
      setRevealed(text);
      return 'shown with its secrets; this is recorded';
    });
  return (
    <Page
      title={one ? `${one.file} of ${one.device}` : `Capture #${id}`}
      sentence={
        one &&
        `${one.bytes.toLocaleString('en')} bytes, first seen ${exact(one.firstAt)}, last seen ${exact(one.lastAt)}${one.current ? '' : ', not the newest'}`
      }
      crumbs={[
        ['Captures', '/captures'],
        [`#${id}`, undefined],
      ]}
      actions={
        may &&
        one && (
          <>
            {!one.binary && revealed === undefined && <Button onClick={reveal}>Show secrets</Button>}
            <Button onClick={restore}>Restore it …</Button>
          </>
        )
      }
    >
      {found.isError && <div className="refused">{problemOf(found.error).detail}</div>}
      <div className="columns halves">
        <div>
          <pre className="panel mono filetext">
            {one ? (one.binary ? `binary, fingerprint ${one.fingerprint}` : (revealed ?? one.text)) : ''}
          </pre>
        </div>
        {one?.binary === false && others.length > 0 && (
          <div>
            <div className="toolbar">
              <label htmlFor="capture-against" className="second">
                What changed since
              </label>
              <Select
                id="capture-against"
                value={before}
                onChange={setAgainst}
                style={{ minWidth: 220 }}
                options={others.map((other) => ({ value: other.id, label: `#${other.id}, ${exact(other.firstAt)}` }))}
              />
            </div>
            {diff.data &&
              (diff.data.lines.length > 0 ? (
                <DiffLines lines={diff.data.lines} />
              ) : (
                <p className="second">No line differs.</p>
              ))}
          </div>
        )}
      </div>
    </Page>
  );
}
