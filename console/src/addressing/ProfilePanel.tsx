import { Table } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import type { AnyRecord } from '@zpine/contract/kind';
import { client, keys, problemOf } from '../api.ts';
import { pathOf } from '../records/paths.ts';
import { ValueText } from '../settings/value.tsx';

/** Who boots by a profile, what they would not follow, and which options it says. */
export default function ProfilePanel({ record }: { record: AnyRecord }) {
  const found = useQuery({
    queryKey: keys.worked('profile-clients', record.key, record.version),
    queryFn: () => client.call('bootprofile.clients', { params: { ref: record.key } }),
  });
  const values = useQuery({
    queryKey: keys.worked('values', `bootprofile ${record.key}`),
    queryFn: () => client.call('value.list', { query: { layer: 'bootprofile', of: record.key } }),
  });
  const { count = 0, devices = [], instead = [], lints = [] } = found.data ?? {};
  return (
    <>
      <section className="panel" aria-label="Devices" style={{ marginTop: 14 }}>
        <h2>
          Who boots by it <span className="second">{found.data ? count : ''}</span>
        </h2>
        <div className="body">
          {found.isError && <div className="refused">{problemOf(found.error).detail}</div>}
          {found.data && count === 0 && (
            <p>No device: those that it could be for boot by another profile, or there are none.</p>
          )}
          <p>
            {devices.map((device, i) => (
              <span key={device}>
                {i > 0 && ', '}
                <Link className="mono" to={pathOf('device', device)}>
                  {device}
                </Link>
              </span>
            ))}
            {count > devices.length && `, and ${count - devices.length} more`}
          </p>
          {instead.map((one) => (
            <p key={one.profile} className="second">
              {one.count} could, and boot by {one.profile}
            </p>
          ))}
        </div>
      </section>
      {lints.length > 0 && (
        <section className="panel" aria-label="Would not be followed" style={{ marginTop: 14 }}>
          <h2>What they would not follow</h2>
          <div className="body">
            {lints.map(({ detail, remedy }) => (
              <p key={detail}>
                {detail}
                <br />
                <code className="mono second">{remedy}</code>
              </p>
            ))}
          </div>
        </section>
      )}
      <section className="panel" aria-label="Options" style={{ marginTop: 14 }}>
        <h2>Options that it says</h2>
        <div className="body">
          <Table
            size="small"
            rowKey="setting"
            pagination={false}
            dataSource={values.data?.items ?? []}
            locale={{ emptyText: 'None: a setting with a DHCP option can be set on this profile' }}
            columns={[
              {
                title: 'Setting',
                render: (_, one) => (
                  <Link className="mono" to={pathOf('setting', one.setting)}>
                    {one.setting}
                  </Link>
                ),
              },
              { title: 'Value', render: (_, one) => <ValueText value={one.value} /> },
            ]}
          />
        </div>
      </section>
    </>
  );
}
