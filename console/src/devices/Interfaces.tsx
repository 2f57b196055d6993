import { Button, Table } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import type { ReplyOf } from '@zpine/contract/routes';
import { formatNumbers } from '@zpine/core/lists/numbers';
import { shortSeries } from '@zpine/core/naming/series';
import { client, keys } from '../api.ts';
import type { AnyRecord } from '@zpine/contract/kind';
import { BulkDrawer } from '../records/BulkDrawer.tsx';
import { pathOf } from '../records/paths.ts';
import { RecordDrawer } from '../records/RecordDrawer.tsx';
import { useMay } from '../session.tsx';

type Overview = ReplyOf<'device.overview'>;

/** The interfaces of a device: those of which something is said first; several are set at once by ticking them. */
export function Interfaces({ seen, onAdd }: { seen: Overview; onAdd: (() => void) | undefined }) {
  const may = useMay('engineer');
  const [all, setAll] = useState(false);
  const [ticked, setTicked] = useState<string[]>([]);
  const [bulk, setBulk] = useState(false);
  const [editing, setEditing] = useState<AnyRecord>();
  const device = String(seen.device.key);
  const plugs = useQuery({
    queryKey: keys.worked('plugs', { device }),
    queryFn: () => client.call('cable.plugs', { query: { device } }),
  });
  const far = new Map((plugs.data?.items ?? []).map((plug) => [plug.from.words, (plug.far ?? plug.to).words]));
  const addresses = seen.addresses as AnyRecord[];
  const rows = seen.interfaces as AnyRecord[];
  const plain = (r: AnyRecord): boolean =>
    r.version === 0 && !far.has(r.key) && !addresses.some((a) => a.interface === r.key);
  const quiet = rows.filter(plain);
  const few = quiet.length > 4 && !all ? rows.filter((r) => !plain(r)) : rows;
  const own = (key: unknown): string => String(key).split(':').at(-1) ?? '';
  const done = () => {
    setBulk(false);
    setTicked([]);
  };
  return (
    <>
      <h2 className="section-title">
        Interfaces <span className="second">{rows.length}</span>
        <span className="sectionactions actions">
          {may && ticked.length > 0 && (
            <Button size="small" type="primary" onClick={() => setBulk(true)}>
              Set {ticked.length} at once
            </Button>
          )}
          {onAdd && (
            <Button size="small" onClick={onAdd}>
              Add an interface
            </Button>
          )}
        </span>
      </h2>
      <Table<AnyRecord>
        size="small"
        rowKey="key"
        dataSource={few}
        pagination={false}
        locale={{ emptyText: quiet.length > 0 ? 'Nothing is said of any port yet' : 'No interfaces yet' }}
        {...(may
          ? {
              rowSelection: {
                selectedRowKeys: ticked,
                onChange: (chosen: React.Key[]) => setTicked(chosen.map(String)),
                columnWidth: 34,
              },
            }
          : {})}
        columns={[
          {
            title: 'Interface',
            render: (_, r) => (
              <Link className="mono nowrap" to={pathOf('interface', r.key)}>
                {String(r.name)}
              </Link>
            ),
          },
          {
            title: 'Form',
            render: (_, r) => (
              <>
                {r.mode === null ? String(r.form) : `${String(r.mode)} ${String(r.form)}`}
                {typeof r.on === 'string' && <span className="second"> on {own(r.on)}</span>}
                {r.tag !== null && <span className="second"> tag {String(r.tag)}</span>}
                {typeof r.memberOf === 'string' && <span className="second"> in {own(r.memberOf)}</span>}
                {!r.enabled && <b> off</b>}
              </>
            ),
          },
          {
            title: 'VLANs',
            render: (_, r) => (
              <>
                {typeof r.vlan === 'string' && (
                  <Link className="mono" to={pathOf('vlan', r.vlan)}>
                    {r.vlan.split('/').at(-1)}
                  </Link>
                )}
                {Array.isArray(r.tagged) && (
                  <span className="mono second" title="tagged">
                    {' '}
                    t {formatNumbers(r.tagged.map(Number))}
                  </span>
                )}
              </>
            ),
          },
          {
            title: 'Addresses',
            render: (_, r) =>
              addresses
                .filter((a) => a.interface === r.key)
                .map((a) => (
                  <div key={a.id}>
                    <Link className="mono" to={pathOf('address', a.key)}>
                      {a.key}
                    </Link>
                  </div>
                )),
          },
          {
            title: 'Plugged to',
            render: (_, r) =>
              typeof r.port === 'string' &&
              far.has(r.key) && (
                <Link to={pathOf('port', r.port)} className={far.get(r.key)?.includes(':') ? 'mono nowrap small' : ''}>
                  {far.get(r.key)}
                </Link>
              ),
          },
          { title: 'Description', dataIndex: 'description' },
          ...(may
            ? [
                {
                  title: '',
                  width: 34,
                  render: (_: unknown, r: AnyRecord) => (
                    <Button
                      size="small"
                      type="link"
                      style={{ padding: 0 }}
                      aria-label={`edit ${String(r.name)}`}
                      onClick={() => setEditing(r)}
                    >
                      ✎
                    </Button>
                  ),
                },
              ]
            : []),
        ]}
      />
      {quiet.length > 4 && (
        <p className="second below">
          {all ? '' : `Nothing is said yet of ${shortSeries(quiet.map((r) => String(r.name))).join(', ')}. `}
          <Button size="small" type="link" style={{ padding: 0 }} onClick={() => setAll(!all)}>
            {all ? 'Only those of which something is said' : `Show all ${rows.length}`}
          </Button>
        </p>
      )}
      {bulk && (
        <BulkDrawer
          kind="interface"
          which={{ refs: ticked }}
          count={ticked.length}
          onClose={() => setBulk(false)}
          onDone={done}
        />
      )}
      {editing && <RecordDrawer kind="interface" record={editing} onClose={() => setEditing(undefined)} />}
    </>
  );
}
