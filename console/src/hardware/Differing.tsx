import { Button, Table } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import type { ReplyOf } from '@zpine/contract/routes';
import { shortSeries } from '@zpine/core/naming/series';
import { client, keys } from '../api.ts';
import { useAttempt } from '../look/attempt.tsx';
import { pathOf } from '../records/paths.ts';
import { useMay } from '../session.tsx';

type Device = ReplyOf<'model.differing'>['devices'][number];

/** Devices whose ports are not those that the model brings; they are brought along when somebody says so. */
export default function Differing({ model }: { model: string }) {
  const may = useMay('engineer');
  const attempt = useAttempt();
  const found = useQuery({
    queryKey: keys.worked('differing', model),
    queryFn: () => client.call('model.differing', { params: { ref: model } }),
  });
  const devices = found.data?.devices ?? [];
  if (devices.length === 0) return null;
  const align = (some?: string[]) =>
    void attempt(async () => {
      const { aligned, refused } = await client.call('model.align', {
        params: { ref: model },
        body: some ? { devices: some } : {},
      });
      const [first] = refused;
      if (aligned.length === 0 && first) throw new Error(`${first.device}: ${first.why}`);
      return `${aligned.length} brought along${refused.length > 0 ? `, ${refused.length} left as they are` : ''}`;
    });
  return (
    <>
      <h2 className="section-title">
        Devices that differ <span className="second">{devices.length}</span>
        {may && (
          <span className="sectionactions">
            <Button size="small" type="primary" onClick={() => align()}>
              Bring all along
            </Button>
          </span>
        )}
      </h2>
      <Table<Device>
        size="small"
        rowKey="device"
        dataSource={devices}
        pagination={{ pageSize: 20, hideOnSinglePage: true }}
        columns={[
          {
            title: 'Device',
            render: (_, d) => (
              <Link className="mono" to={pathOf('device', d.device)}>
                {d.device}
              </Link>
            ),
          },
          { title: 'Missing', render: (_, d) => <span className="mono">{shortSeries(d.missing).join(' ')}</span> },
          { title: 'Too many', render: (_, d) => <span className="mono">{shortSeries(d.extra).join(' ')}</span> },
          {
            title: 'Another kind',
            render: (_, d) => <span className="mono">{d.other.map((o) => `${o.port} ${o.is}`).join(', ')}</span>,
          },
          {
            title: '',
            render: (_, d) =>
              d.blocked ? (
                <span className="second">kept back: {d.blocked}</span>
              ) : (
                may && (
                  <Button size="small" onClick={() => align([d.device])}>
                    Bring along
                  </Button>
                )
              ),
          },
        ]}
      />
    </>
  );
}
