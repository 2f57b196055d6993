import { Button, Segmented, Tabs } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import type { Value } from '@zpine/contract/fields';
import { client, keys } from '../api.ts';
import type { AnyRecord } from '@zpine/contract/kind';
import { Plugs } from '../cables/Plugs.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { Page } from '../look/Page.tsx';
import { groupOf, RackDrawing, type ColourBy, type Spot } from '../racks/RackDrawing.tsx';
import { Budgets } from '../racks/Budgets.tsx';
import { Free } from '../racks/Free.tsx';
import { Legend } from '../racks/Legend.tsx';
import { Picked } from '../racks/Picked.tsx';
import { RecordActions } from '../records/RecordActions.tsx';
import { RecordDrawer } from '../records/RecordDrawer.tsx';
import { RecordHistory } from '../records/RecordHistory.tsx';
import { Facts } from '../records/RecordPage.tsx';
import { Refused } from '../records/Refused.tsx';
import { crumbsOf } from '../records/words.ts';
import { useMay } from '../session.tsx';

const ways: ColourBy[] = ['stage', 'duty', 'owner'];

/** A rack, drawn to scale: what stands where, what is free, and the way to put something there. */
export default function RackPage({ name }: { name: string }) {
  const [params, setParams] = useSearchParams();
  const asked = params.get('by') as ColourBy;
  const by = ways.includes(asked) ? asked : 'stage';
  const show = params.get('show') === 'cables' ? 'cables' : 'drawing';
  const [picked, setPicked] = useState<string | Spot>();
  const [adding, setAdding] = useState<{ kind: 'device' | 'filler'; preset: Record<string, Value> }>();
  const may = useMay('engineer');
  const attempt = useAttempt();
  const found = useQuery({ queryKey: keys.record('rack', name), queryFn: () => client.show('rack', name) });
  const drawn = useQuery({
    queryKey: keys.worked('rack', name),
    queryFn: () => client.call('rack.drawing', { params: { ref: name } }),
  });
  const site = name.split('/')[0] ?? '';
  const waiting = useQuery({
    queryKey: keys.list('device', { site, rack: 'none', waiting: true }),
    queryFn: () => client.list('device', { where: `site=${site} rack=none virtual=no stage!=retired`, limit: 100 }),
    enabled: may,
  });
  const purposeKey = typeof found.data?.purpose === 'string' ? found.data.purpose : undefined;
  const purpose = useQuery({
    queryKey: keys.record('purpose', purposeKey ?? ''),
    queryFn: () => client.show('purpose', purposeKey ?? ''),
    enabled: purposeKey !== undefined,
  });
  const colour = purposeKey === undefined ? undefined : purpose.data?.colour;
  if (found.isError) return <Refused title={name} error={found.error} back="/racks" />;
  if (!found.data || !drawn.data) return <Page title={name} mono children={null} />;
  const record = found.data as AnyRecord;
  const drawing = drawn.data;
  const groups = [...new Set(drawing.items.filter((i) => i.kind === 'device').map((i) => groupOf(i, by)))].sort();
  const unplaced = [...drawing.unplaced, ...(waiting.data?.items ?? []).map((device) => device.key)];
  const put = (device: string, spot: Spot) =>
    void attempt(async () => {
      await client.edit('device', device, { rack: record.key, positionU: spot.u, face: spot.face });
      setPicked(`device ${device}`);
      return `${device} stands at U ${spot.u}, ${spot.face}`;
    });
  const item = typeof picked === 'string' ? drawing.items.find((i) => `${i.kind} ${i.key}` === picked) : undefined;
  const used = drawing.heightU - drawing.freeU;
  const stretches = drawing.free.length;
  const words = [
    record.purpose,
    `${drawing.heightU} U`,
    record.owner,
    `${used} U used, ${drawing.freeU} U free${stretches > 1 ? ` in ${stretches} stretches` : ''}${drawing.reservedU > 0 ? `, ${drawing.reservedU} U reserved` : ''}`,
  ];
  return (
    <Page
      title={`Rack ${record.key}`}
      sentence={
        <>
          {colour && <span className="swatch" style={{ background: colour }} />}
          {words.filter(Boolean).join(' · ')}
        </>
      }
      crumbs={crumbsOf('rack', record)}
      actions={
        <>
          <Segmented<ColourBy>
            value={by}
            disabled={show === 'cables'}
            options={ways.map((way) => ({ value: way, label: way[0]?.toUpperCase() + way.slice(1) }))}
            onChange={(way) => setParams(way === 'stage' ? {} : { by: way }, { replace: true })}
          />
          <Button onClick={() => window.print()}>Print</Button>
          <RecordActions
            kind="rack"
            record={record}
            primary={
              may && (
                <Button type="primary" onClick={() => setAdding({ kind: 'device', preset: { rack: record.key } })}>
                  Place a device
                </Button>
              )
            }
          />
        </>
      }
    >
      <Tabs
        size="small"
        activeKey={show}
        items={[
          { key: 'drawing', label: 'Drawing' },
          { key: 'cables', label: 'Cables' },
        ]}
        onChange={(next) => setParams(next === 'drawing' ? {} : { show: next }, { replace: true })}
        tabBarStyle={{ marginBottom: 12 }}
      />
      {show === 'cables' && <Plugs of={{ rack: record.key }} />}
      <div
        className="racks"
        hidden={show === 'cables'}
        {...(colour ? { style: { '--purpose': colour } as React.CSSProperties } : {})}
      >
        {(['front', 'rear'] as const).map((face) => (
          <RackDrawing
            key={face}
            {...{ drawing, face, by, groups, picked }}
            onPick={setPicked}
            onDrop={may ? put : undefined}
          />
        ))}
        <aside>
          {item && <Picked item={item} />}
          {typeof picked === 'object' && (
            <Free
              spot={picked}
              unplaced={may ? unplaced : []}
              onPut={(device) => put(device, picked)}
              onAdd={
                may
                  ? (kind) => setAdding({ kind, preset: { rack: record.key, positionU: picked.u, face: picked.face } })
                  : undefined
              }
            />
          )}
          <Legend by={by} groups={groups} drawing={drawing} />
          <Budgets drawing={drawing} />
          {may && unplaced.length > 0 && (
            <section className="panel quiet" aria-label="Without a place">
              <h2>Without a place</h2>
              <div className="body">
                <p className="second" style={{ marginTop: 0 }}>
                  Drag one onto the rack, or choose a U first.
                </p>
                <div className="chips">
                  {unplaced.map((key) => (
                    <span
                      key={key}
                      className="chip mono"
                      draggable
                      onDragStart={(event) => event.dataTransfer.setData('text/plain', key)}
                    >
                      {key}
                    </span>
                  ))}
                </div>
              </div>
            </section>
          )}
          <section className="panel" aria-label="Facts">
            <div className="body">
              <Facts kind="rack" record={record} />
            </div>
          </section>
          <RecordHistory kind="rack" id={record.id} />
        </aside>
      </div>
      {adding && <RecordDrawer kind={adding.kind} preset={adding.preset} onClose={() => setAdding(undefined)} />}
    </Page>
  );
}
