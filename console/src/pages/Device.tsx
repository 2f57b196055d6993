import { App, Button, Dropdown, Tabs } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { lazy, Suspense, useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import type { ReplyOf } from '@zpine/contract/routes';
import { client, keys, problemOf, queries } from '../api.ts';
import { type AnyRecord, fieldsOf } from '@zpine/contract/kind';
import { kindOf } from '@zpine/contract/kinds';
import { Retire } from '../devices/Retire.tsx';
import { Lacks } from '../devices/Lacks.tsx';
import { ArrivalPanel } from '../devices/ArrivalPanel.tsx';
import { Booting } from '../devices/Booting.tsx';
import { DeviceSettings } from '../devices/DeviceSettings.tsx';
import { Interfaces } from '../devices/Interfaces.tsx';
import { Running } from '../devices/Running.tsx';
import { Slots } from '../hardware/Slots.tsx';
import { Plugs } from '../cables/Plugs.tsx';
import { Editions } from '../devices/Editions.tsx';
import { Ago } from '../look/Ago.tsx';
import { Page } from '../look/Page.tsx';
import { Stage } from '../look/Stage.tsx';
import { Cell } from '../records/Cell.tsx';
import { Labels } from '../records/Labels.tsx';
import { pathOf } from '../records/paths.ts';
import { RecordActions } from '../records/RecordActions.tsx';
import { RecordDrawer } from '../records/RecordDrawer.tsx';
import { RecordHistory } from '../records/RecordHistory.tsx';
import { Refused } from '../records/Refused.tsx';
import { SwapAction } from '../devices/SwapAction.tsx';
import { useMay } from '../session.tsx';

type Overview = ReplyOf<'device.overview'>;

const tabs = [
  { key: 'records', label: 'Records' },
  { key: 'cables', label: 'Cables' },
  { key: 'edition', label: 'Configuration' },
  { key: 'booting', label: 'Booting' },
  { key: 'fleet', label: 'Running' },
  { key: 'settings', label: 'Settings' },
];

// What draws a terminal is large, and few pages need it.
const TerminalDrawer = lazy(() => import('../fleet/TerminalDrawer.tsx'));

const handStages = ['sketched', 'unproved', 'faulty', 'retired'];

export default function DevicePage({ name }: { name: string }) {
  const found = useQuery({
    queryKey: keys.worked('device', name),
    queryFn: () => client.call('device.overview', { params: { ref: name } }),
  });
  const { message } = App.useApp();
  const may = useMay('engineer');
  const [params, setParams] = useSearchParams();
  const [adding, setAdding] = useState<'interface' | 'box'>();
  const [retiring, setRetiring] = useState(false);
  const [typing, setTyping] = useState(false);
  if (found.isError) return <Refused title={name} error={found.error} back="/devices" />;
  if (!found.data) return <Page title={name} mono children={null} />;
  const seen = found.data;
  const device = seen.device as AnyRecord;
  const box = seen.box as AnyRecord | null;

  const attempt = async (work: () => Promise<string>) => {
    try {
      void message.success(await work());
      void queries.invalidateQueries();
    } catch (error) {
      const { detail, remedy } = problemOf(error);
      void message.error({ content: remedy ? `${detail}. ${remedy}` : detail, duration: 8 });
    }
  };
  const assign = () =>
    void attempt(async () => {
      const done = await client.call('device.assignManagement', { params: { ref: name }, body: {} });
      return `${done.address}/${done.length} for ${name}`;
    });
  const move = (stage: string) => {
    if (stage === 'retired') return setRetiring(true);
    void attempt(async () => {
      await client.call('device.stage', { params: { ref: name }, body: { stage } });
      return `${name} is ${stage}`;
    });
  };

  const tab = tabs.some((t) => t.key === params.get('show')) ? String(params.get('show')) : 'records';
  const model = typeof device.model === 'string' ? device.model.split('/').at(-1)?.toUpperCase() : null;
  return (
    <Page
      title={device.key}
      mono
      crumbs={[
        ['Devices', '/devices'],
        [device.key, undefined],
      ]}
      sentence={
        <>
          <Stage stage={String(device.stage)} /> since <Ago at={seen.stageSince} />
          <Differs drift={seen.drift} device={device.key} />
          {[device.duty, model, box?.serial].filter(Boolean).map((part) => ` · ${String(part)}`)}
        </>
      }
      actions={
        <>
          {may && (
            <Dropdown
              menu={{
                items: handStages
                  .filter((s) => s !== device.stage)
                  .map((s) => ({ key: s, label: <Stage stage={s} />, onClick: () => move(s) })),
              }}
            >
              <Button>Stage …</Button>
            </Dropdown>
          )}
          {may && device.management !== null && <Button onClick={() => setTyping(true)}>Terminal</Button>}
          {!device.virtual && device.stage !== 'retired' && <SwapAction device={device.key} />}
          <RecordActions
            kind="device"
            record={device}
            primary={
              may &&
              seen.lacks.some(({ lack }) => lack === 'no-management') && (
                <Button type="primary" onClick={assign}>
                  Assign management address
                </Button>
              )
            }
          />
        </>
      }
    >
      {typing && (
        <Suspense>
          <TerminalDrawer device={device.key} onClose={() => setTyping(false)} />
        </Suspense>
      )}
      <Tabs
        activeKey={tab}
        items={tabs}
        onChange={(next) => setParams(next === 'records' ? {} : { show: next }, { replace: true })}
        tabBarStyle={{ marginBottom: 14 }}
      />
      {tab === 'cables' && <Plugs of={{ device: device.key }} />}
      {tab === 'edition' && <Editions device={device.key} serves={device.stage === 'serving'} />}
      {tab === 'booting' && <Booting device={device.key} />}
      {tab === 'fleet' && <Running device={device.key} />}
      {tab === 'settings' && <DeviceSettings device={device.key} />}
      <div className="columns" hidden={tab !== 'records'}>
        <div>
          <div className="panels">
            <Place device={device} />
            <Management seen={seen} />
            <Hardware seen={seen} box={box} onFit={may ? () => setAdding('box') : undefined} />
            <Further device={device} />
          </div>
          <Lacks lacks={seen.lacks} />
          <ArrivalPanel device={device.key} stage={String(device.stage)} closes={seen.windowCloses} />
          <Slots device={device.key} />
          <Interfaces seen={seen} onAdd={may ? () => setAdding('interface') : undefined} />
          {typeof device.note === 'string' && (
            <>
              <h2 className="section-title">Note</h2>
              <p style={{ whiteSpace: 'pre-line' }}>{device.note}</p>
            </>
          )}
        </div>
        <RecordHistory kind="device" id={device.id} />
      </div>
      {retiring && <Retire device={name} onClose={() => setRetiring(false)} />}
      {adding && (
        <RecordDrawer
          kind={adding}
          preset={
            adding === 'box'
              ? { device: device.key, model: device.model ?? null, condition: 'fitted' }
              : { device: device.key }
          }
          onClose={() => setAdding(undefined)}
        />
      )}
    </Page>
  );
}

/** Beside the stage: it does not run what it should, or what it runs is not stored. */
function Differs({ drift, device }: { drift: Overview['drift']; device: string }) {
  const lines = (n: number) => `${n} line${n === 1 ? '' : 's'}`;
  if (!drift || (drift.lines === 0 && (drift.unkept ?? 0) === 0)) return null;
  return (
    <Link to={`/devices/${device}?show=fleet`}>
      {drift.lines > 0 && (
        <>
          , differs in {lines(drift.lines)} since <Ago at={drift.since ?? drift.comparedAt} />
        </>
      )}
      {(drift.unkept ?? 0) > 0 && <>, {lines(drift.unkept ?? 0)} not stored</>}
    </Link>
  );
}

const To = ({ kind, value }: { kind: string; value: unknown }) =>
  typeof value === 'string' ? (
    <Link className="mono" to={pathOf(kind, value)}>
      {value}
    </Link>
  ) : (
    <span className="second">none</span>
  );

/** What stands in the panels above, in the head of the page, or as the note below them. */
const told = new Set([
  'name',
  'stage',
  'duty',
  'model',
  'site',
  'rack',
  'positionU',
  'face',
  'owner',
  'labels',
  'note',
  'management',
]);

/** The fields that are told nowhere else; those of the description alone that nobody filled in, too. */
function Further({ device }: { device: AnyRecord }) {
  return (
    <div className="panel beside" style={{ gridColumn: '1 / -1' }}>
      {fieldsOf(kindOf('device'))
        .filter(([name]) => !told.has(name))
        .map(([name, field]) => (
          <div key={name} title={field.about}>
            <div className="second">{name === 'dialect' ? 'Own dialect' : field.title}</div>
            {device[name] === null ? (
              <span className="second">none</span>
            ) : (
              <Cell name={name} field={field} value={device[name] ?? null} />
            )}
          </div>
        ))}
    </div>
  );
}

function Place({ device }: { device: AnyRecord }) {
  return (
    <div className="panel">
      <h2>Place</h2>
      <dl className="facts body">
        <dt>Site</dt>
        <dd>
          <To kind="site" value={device.site} />
        </dd>
        <dt>Rack</dt>
        <dd>
          <To kind="rack" value={device.rack} />
        </dd>
        {device.positionU !== null && (
          <>
            <dt>Position</dt>
            <dd>
              U {String(device.positionU)}, {String(device.face)}
            </dd>
          </>
        )}
        <dt>Owner</dt>
        <dd>
          <To kind="owner" value={device.owner} />
        </dd>
        {Array.isArray(device.labels) && (
          <>
            <dt>Labels</dt>
            <dd>
              <Labels labels={device.labels.map(String)} />
            </dd>
          </>
        )}
      </dl>
    </div>
  );
}

function Management({ seen: { management: m } }: { seen: Overview }) {
  return (
    <div className="panel">
      <h2>Management</h2>
      {m ? (
        <dl className="facts body">
          <dt>Address</dt>
          <dd className="mono">
            {m.address}/{m.length}
          </dd>
          <dt>Interface</dt>
          <dd>
            {m.interface && (
              <Link className="mono" to={pathOf('interface', m.interface)}>
                {m.interface.split(':').at(-1)}
              </Link>
            )}
          </dd>
          <dt>Prefix</dt>
          <dd>
            <To kind="prefix" value={m.prefix} />
          </dd>
          <dt>Gateway</dt>
          <dd className="mono">{m.gateway ?? 'none'}</dd>
        </dl>
      ) : (
        <div className="body second">None: the service cannot reach it, nor make its configuration.</div>
      )}
    </div>
  );
}

function Hardware({ seen, box, onFit }: { seen: Overview; box: AnyRecord | null; onFit: (() => void) | undefined }) {
  return (
    <div className="panel">
      <h2>Hardware</h2>
      <dl className="facts body">
        <dt>Model</dt>
        <dd>
          <To kind="model" value={seen.device.model} />
        </dd>
        <dt>Dialect</dt>
        <dd>
          <To kind="dialect" value={seen.dialect} />
        </dd>
        <dt>Box</dt>
        <dd>
          {box ? (
            <To kind="box" value={box.key} />
          ) : (
            <>
              <span className="second">none</span>{' '}
              {onFit && !seen.device.virtual && (
                <Button size="small" onClick={onFit}>
                  Enter its serial
                </Button>
              )}
            </>
          )}
        </dd>
        {box?.mac && (
          <>
            <dt>MAC</dt>
            <dd className="mono nowrap" style={{ fontSize: 12, letterSpacing: -0.2 }}>
              {String(box.mac)}
            </dd>
          </>
        )}
        {seen.hostKey && (
          <>
            <dt>Host key</dt>
            <dd className="mono" title={`${seen.hostKey.fingerprint}, pinned at ${seen.hostKey.pinnedBy}`}>
              {seen.hostKey.fingerprint.slice(7, 19)}…
            </dd>
          </>
        )}
      </dl>
    </div>
  );
}
