import { Table } from 'antd';
import { Link } from 'react-router';
import type { ReplyOf } from '@zpine/contract/routes';
import { pathOf } from '../records/paths.ts';
import { Ago } from '../look/Ago.tsx';

type Device = ReplyOf<'image.devices'>['devices'][number];

/** What each of them said last that it runs. */
export function DevicesInTable({ devices, more }: { devices: Device[]; more: number }) {
  return (
    <>
      <Table<Device>
        size="small"
        rowKey="device"
        pagination={false}
        style={{ marginBottom: 10 }}
        dataSource={devices}
        columns={[
          {
            title: 'Device',
            render: (_, one) => (
              <Link className="mono" to={pathOf('device', one.device)}>
                {one.device}
              </Link>
            ),
          },
          {
            title: 'Runs',
            render: (_, one) =>
              one.version === null ? (
                <span className="second">not known</span>
              ) : (
                <span>
                  <span style={{ color: one.runs ? 'var(--moss)' : 'var(--resin)' }}>{one.runs ? '●' : '◐'}</span>{' '}
                  <span className="mono">{one.version}</span>
                </span>
              ),
          },
          { title: 'Said', render: (_, one) => (one.at === null ? '' : <Ago at={one.at} />) },
        ]}
      />
      {more > 0 && <p className="second">and {more} more</p>}
    </>
  );
}
