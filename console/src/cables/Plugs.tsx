import { Button, Table } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import type { Value } from '@zpine/contract/fields';
import type { ReplyOf } from '@zpine/contract/routes';
import { client, keys } from '../api.ts';
import { pathOf } from '../records/paths.ts';
import { RecordDrawer } from '../records/RecordDrawer.tsx';
import { useMay } from '../session.tsx';
import { CableColour } from './CableColour.tsx';
import { End } from './Trace.tsx';
import { metres } from './words.ts';

type Plug = ReplyOf<'cable.plugs'>['items'][number];

/** Every plug of a rack or a device, from the top down, for people with the plugs in their hands. */
export function Plugs({ of }: { of: { rack: string } | { device: string } }) {
  const may = useMay('engineer');
  const [adding, setAdding] = useState<Record<string, Value>>();
  const found = useQuery({
    queryKey: keys.worked('plugs', of),
    queryFn: () => client.call('cable.plugs', { query: of }),
  });
  const items = found.data?.items ?? [];
  const inRack = 'rack' in of;
  return (
    <>
      <h2 className="section-title">
        Cables <span className="second">{items.length === 1 ? '1 plug' : `${items.length} plugs`}</span>
        <span className="sectionactions actions">
          {may && (
            <Link to="/import?kind=cable">
              <Button size="small">A table of pairs</Button>
            </Link>
          )}
          <Button size="small" onClick={() => window.print()}>
            Print
          </Button>
          {may && (
            <Button size="small" onClick={() => setAdding({})}>
              Add a cable
            </Button>
          )}
        </span>
      </h2>
      <Table<Plug>
        size="small"
        rowKey={(plug) => `${plug.cable} ${plug.from.words}`}
        dataSource={items}
        pagination={false}
        loading={found.isPending}
        locale={{ emptyText: 'No cable is plugged in here' }}
        columns={[
          ...(inRack
            ? [{ title: 'U', align: 'right' as const, width: 44, render: (_: unknown, p: Plug) => uOf(p.from.place) }]
            : []),
          {
            title: 'Plug',
            render: (_, p) => (
              <Link className="mono" to={pathOf('port', p.from.words)}>
                {inRack ? p.from.words : p.from.words.slice((p.from.device ?? '').length + 1)}
              </Link>
            ),
          },
          { title: 'Goes to', render: (_, p) => <End end={near(p)} /> },
          {
            title: 'Ends at',
            render: (_, p) =>
              p.ends === 'open' ? (
                <span className="second">a panel, and nothing behind it</span>
              ) : p.ends === 'circle' ? (
                <span className="second">a circle of panels</span>
              ) : (
                p.far && <End end={p.far} />
              ),
          },
          { title: 'Kind', dataIndex: 'kind' },
          { title: 'Colour', render: (_, p) => <CableColour colour={p.colour} /> },
          { title: 'Length', align: 'right', render: (_, p) => <span className="nowrap">{metres(p.lengthCm)}</span> },
          { title: 'Printed', render: (_, p) => <span className="mono">{p.marking}</span> },
          {
            title: '',
            width: 34,
            render: (_, p) => (
              <Link to={pathOf('cable', p.cable)} aria-label={`cable ${p.cable}`}>
                ›
              </Link>
            ),
          },
        ]}
      />
      {adding && <RecordDrawer kind="cable" preset={adding} onClose={() => setAdding(undefined)} />}
    </>
  );
}

const rackOf = (place: string | null): string | undefined => place?.replace(/ U \d+$/, '');
const uOf = (place: string | null): string => / U (\d+)$/.exec(place ?? '')?.[1] ?? '';

/** In the same rack the U is enough. */
const near = ({ from, to }: Plug): Plug['to'] =>
  to.place !== null && rackOf(from.place) === rackOf(to.place)
    ? { ...to, place: uOf(to.place) === '' ? 'same rack' : `U ${uOf(to.place)}` }
    : to;
