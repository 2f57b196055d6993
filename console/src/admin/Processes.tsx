import { Table, Typography } from 'antd';
import { useQuery } from '@tanstack/react-query';
import type { ShownProcess } from '@zpine/contract/processes';
import { client, keys } from '../api.ts';

const TITLES: Record<string, string> = {
  api: 'API and console, arrivals, runs, watch',
  boot: 'DHCP, TFTP, signs of life',
  apart: 'One piece of large work at a time',
};
const AGAIN_MS = 5000;
const moment = (text: string): string => text.slice(0, 19).replace('T', ' ');

/** The processes that the service consists of; one that is down says so in words. */
export function Processes() {
  const shown = useQuery({
    queryKey: keys.worked('processes'),
    queryFn: () => client.call('doctor.processes'),
    refetchInterval: AGAIN_MS,
  });
  return (
    <section>
      <Typography.Title level={4}>Processes</Typography.Title>
      <Table<ShownProcess>
        size="small"
        rowKey={(one) => `${one.name} ${one.pid}`}
        pagination={false}
        dataSource={shown.data?.items ?? []}
        columns={[
          { title: 'Process', render: (_, one) => <span className="mono">{one.name}</span> },
          { title: 'Does', render: (_, one) => TITLES[one.name] ?? 'Everything' },
          { title: 'Pid', render: (_, one) => (one.pid === 0 ? 'down, is started again' : one.pid) },
          { title: 'Since', render: (_, one) => moment(one.since) },
          { title: 'Holds', align: 'right', render: (_, one) => `${Math.round(one.memoryBytes / 1024 / 1024)} MiB` },
          { title: 'Started again', align: 'right', dataIndex: 'starts' },
          {
            title: 'Last end',
            render: (_, one) => (one.lastEnd ? `${moment(one.lastEnd.at)}: ${one.lastEnd.how}` : ''),
          },
        ]}
      />
    </section>
  );
}
