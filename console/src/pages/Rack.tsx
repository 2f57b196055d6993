import { Button, Segmented, Select, Tabs } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { Fragment, useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import type { Value } from '@zpine/contract/fields';
import { client, keys } from '../api.ts';
import type { AnyRecord } from '@zpine/contract/kind';
import { Plugs } from '../cables/Plugs.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { Page } from '../look/Page.tsx';
import { Stage } from '../look/Stage.tsx';
import {
  groupOf,
  RackDrawing,
  tagOf,
  type ColourBy,
  type Drawing,
  type Item,
  type Spot,
} from '../racks/RackDrawing.tsx';
import { pathOf } from '../records/paths.ts';
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
  const record = found.data as unknown as AnyRecord;
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

function Picked({ item }: { item: Item }) {
  const to = item.positionU + item.heightU - 1;
  const place = [
    item.heightU > 1 ? `U ${item.positionU} to ${to}` : `U ${item.positionU}`,
    item.face,
    `${item.depth} depth`,
    item.width === 'half' ? `${item.side} half` : null,
  ];
  return (
    <section className="panel" aria-label="Chosen">
      <h2>
        <Link className="mono" to={pathOf(item.kind, item.key)}>
          {item.kind === 'device' ? item.words : item.key}
        </Link>{' '}
        {item.stage && <Stage stage={item.stage} />}
      </h2>
      <div className="body">
        <dl className="facts">
          <dt>Place</dt>
          <dd>{place.filter(Boolean).join(', ')}</dd>
          {[
            ['Model', item.model],
            ['Duty', item.duty],
            ['Owner', item.owner],
            ['Form', item.form],
            ['For', item.kind === 'filler' ? item.words : null],
          ].map(([title, value]) =>
            value ? (
              <div key={title} style={{ display: 'contents' }}>
                <dt>{title}</dt>
                <dd>{value}</dd>
              </div>
            ) : null,
          )}
        </dl>
      </div>
    </section>
  );
}

interface FreeProps {
  spot: Spot;
  unplaced: string[];
  onPut: (device: string) => void;
  onAdd: ((kind: 'device' | 'filler') => void) | undefined;
}

function Free({ spot, unplaced, onPut, onAdd }: FreeProps) {
  return (
    <section className="panel" aria-label="Free U">
      <h2>
        U {spot.u}, {spot.face}
      </h2>
      <div className="body form">
        {unplaced.length > 0 && (
          <Select
            aria-label="Put here"
            style={{ width: '100%', marginBottom: 10 }}
            showSearch
            placeholder="put a device here"
            value={null}
            options={unplaced.map((key) => ({ value: key, label: key }))}
            onChange={(device: string | null) => device !== null && onPut(device)}
          />
        )}
        {onAdd ? (
          <div style={{ display: 'flex', gap: 8, flexWrap: 'wrap' }}>
            <Button onClick={() => onAdd('device')}>Declare a device</Button>
            <Button onClick={() => onAdd('filler')}>Cover or reserve</Button>
          </div>
        ) : (
          <span className="second">Nothing stands here.</span>
        )}
      </div>
    </section>
  );
}

/** What is drawn and what weighs, and what hangs beside the U. */
function Budgets({ drawing: { power, weight, strips } }: { drawing: Drawing }) {
  const rows = [
    { title: 'Power', ...power, unit: 'W', by: 1 },
    { title: 'Weight', ...weight, unit: 'kg', by: 1000 },
  ].filter(({ used, most }) => used > 0 || most !== null);
  if (rows.length === 0 && strips.length === 0) return null;
  return (
    <section className="panel" aria-label="Power and weight">
      <h2>Power and weight</h2>
      <div className="body">
        <div className="budget">
          {rows.map(({ title, used, most, unknown, unit, by }) => {
            const over = most !== null && used > most;
            const share = most === null || most === 0 ? 0 : Math.min(100, (100 * used) / most);
            return (
              <Fragment key={title}>
                <span>{title}</span>
                <span className="bar">
                  <i className={over ? 'over' : ''} style={{ width: `${share}%` }} />
                </span>
                <span
                  className="nowrap"
                  title={unknown > 0 ? `of ${unknown} more the model does not say it` : undefined}
                >
                  {over && '✕ '}
                  {used / by}
                  {most === null ? '' : ` of ${most / by}`} {unit}
                  {unknown > 0 && '+'}
                </span>
              </Fragment>
            );
          })}
        </div>
        {strips.length > 0 && (
          <p className="second" style={{ marginBottom: 0 }}>
            Beside the U:{' '}
            {strips.map((key) => (
              <Link key={key} className="mono" to={pathOf('device', key)}>
                {key}{' '}
              </Link>
            ))}
          </p>
        )}
      </div>
    </section>
  );
}

function Legend({ by, groups, drawing }: { by: ColourBy; groups: string[]; drawing: Drawing }) {
  const forms = [...new Set(drawing.items.flatMap((item) => (item.form ? [item.form] : [])))];
  return (
    <section className="panel" aria-label="Legend">
      <h2>Legend</h2>
      <div className="body legendgrid">
        {groups.map((group, i) =>
          by === 'stage' ? (
            <Stage key={group} stage={group} />
          ) : (
            <span key={group}>
              <i className={`key group-${i % 6}`}>{tagOf(groups, group)}</i> {group}
            </span>
          ),
        )}
        {forms.map((form) => (
          <span key={form}>
            <i className={`key filler ${form}`} /> {form.replace('-', ' ')}
          </span>
        ))}
        <span>
          <i className="key behind" /> from behind
        </span>
      </div>
    </section>
  );
}
