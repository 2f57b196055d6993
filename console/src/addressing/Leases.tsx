import { Button, Popconfirm, Progress } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import type { ShownLease, ShownPool } from '@zpine/contract/leaseRoutes';
import { client, keys } from '../api.ts';
import { Ago } from '../look/Ago.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { pathOf } from '../records/paths.ts';
import { useMay } from '../session.tsx';

const SHOWN = 200;

/** Who was promised addresses by DHCP, in a prefix or of a device; nothing where nobody was. */
export function Leases({ of }: { of: { prefix: string } | { device: string } }) {
  const name = 'prefix' in of ? of.prefix : of.device;
  const seen = useQuery({
    queryKey: keys.worked('leases', name),
    queryFn: () => client.call('lease.list', { query: { ...of, limit: String(SHOWN) } }),
    refetchInterval: 15_000,
  });
  const pools = useQuery({
    queryKey: keys.worked('lease-pools', name),
    queryFn: async () =>
      'prefix' in of ? (await client.call('lease.pools', { query: { prefix: of.prefix } })).items : [],
    refetchInterval: 15_000,
  });
  const items = seen.data?.items ?? [];
  if (items.length === 0 && (pools.data ?? []).length === 0) return null;
  return (
    <section aria-label="Leases">
      <h2 className="section-title">Leases</h2>
      {pools.data?.map((pool) => (
        <Pool key={pool.pool} pool={pool} />
      ))}
      {items.length > 0 && <LeaseTable items={items} devices={'prefix' in of} />}
      {seen.data?.more && <p className="hint">the first {SHOWN}: zpine lease list shows all</p>}
    </section>
  );
}

function Pool({ pool: { pool, size, held, leftAlone } }: { pool: ShownPool }) {
  const what = pool === 'pool' ? 'DHCP pool' : 'Quarantine pool';
  return (
    <div className="second" style={{ display: 'flex', gap: 12, alignItems: 'center', marginBottom: 6 }}>
      <span style={{ width: 130 }}>{what}</span>
      <Progress
        aria-label={`${what} in use`}
        percent={Math.floor((100 * (held + leftAlone)) / size)}
        strokeColor="var(--pine)"
        style={{ width: 220 }}
      />
      <span>
        {held} of {size} held{leftAlone > 0 && `, ${leftAlone} left alone`}
      </span>
    </div>
  );
}

function LeaseTable({ items, devices }: { items: readonly ShownLease[]; devices: boolean }) {
  const may = useMay('engineer');
  const attempt = useAttempt();
  const end = (address: string) =>
    void attempt(async () => {
      await client.call('lease.end', { body: { address } });
      return `${address} is free`;
    });
  return (
    <table className="plain-table">
      <thead>
        <tr>
          {['Address', 'State', devices ? 'Device' : 'Prefix', 'Client', 'From', 'Since', 'Until', ''].map((head) => (
            <th key={head}>{head}</th>
          ))}
        </tr>
      </thead>
      <tbody>
        {items.map((one) => (
          <tr key={one.address}>
            <td className="mono">{one.address}</td>
            <td className={one.state === 'held' ? undefined : 'second'}>{one.state}</td>
            <td>
              {devices ? (
                one.device && <Link to={pathOf('device', one.device)}>{one.device}</Link>
              ) : (
                <Link to={pathOf('prefix', one.prefix)}>{one.prefix}</Link>
              )}
            </td>
            <td className="mono">
              {one.client === one.mac ? one.mac : [one.client, one.mac].filter((part) => part !== '').join(' · ')}
            </td>
            <td>{one.source}</td>
            <td>
              <Ago at={one.since} suffix=" ago" />
            </td>
            <td title={one.until}>{`${one.until.slice(0, 10)} ${new Date(one.until).toLocaleTimeString('en-GB')}`}</td>
            <td>
              {may && one.state !== 'over' && (
                <Popconfirm
                  title={`End the lease of ${one.address}?`}
                  description="A client that has it uses it until it asks again."
                  okText="End"
                  onConfirm={() => end(one.address)}
                >
                  <Button size="small" type="text">
                    End
                  </Button>
                </Popconfirm>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
