import { App, Button } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { matters } from '@zpine/contract/matters';
import { stages } from '@zpine/contract/kinds/devices';
import type { ReplyOf } from '@zpine/contract/routes';
import { client, keys, problemOf, queries } from '../api.ts';
import { Track } from '../arrivals/Track.tsx';
import { Ago } from '../look/Ago.tsx';
import { Page } from '../look/Page.tsx';
import { Stage } from '../look/Stage.tsx';
import { pathOf } from '../records/paths.ts';
import { LazyRecordDrawer } from '../records/LazyRecordDrawer.tsx';
import { useMay } from '../session.tsx';

type Item = ReplyOf<'today'>['items'][number];

const numbers = ['Nothing', 'One thing', 'Two things', 'Three things', 'Four things', 'Five things', 'Six things'];
const sentenceOf = (count: number): string =>
  `${numbers[count] ?? `${count} things`} need${count < 2 ? 's' : ''} attention.`;

export function Today() {
  const [adding, setAdding] = useState(false);
  const may = useMay('engineer');
  const navigate = useNavigate();
  const today = useQuery({ queryKey: keys.worked('today'), queryFn: () => client.call('today') });
  const arrivals = useQuery({
    queryKey: keys.worked('arrivals'),
    queryFn: () => client.call('arrival.list', { query: { limit: '100' } }),
  });
  const under = (arrivals.data?.items ?? []).filter((a) => a.endedAt === null && a.milestones.length > 0);
  const items = today.data?.items ?? [];
  const counts = Object.entries(today.data?.counts ?? {});
  const sentence = today.data ? sentenceOf(items.length) : '';
  return (
    <Page
      title="Today"
      sentence={sentence}
      actions={
        may && (
          <Button type="primary" onClick={() => setAdding(true)}>
            Declare a device
          </Button>
        )
      }
    >
      {today.isError && <div className="refused">{problemOf(today.error).detail}</div>}
      <div className="panel">
        {items.map((item) => (
          <Row key={`${item.code} ${item.key}`} item={item} may={may} />
        ))}
        {today.data && items.length === 0 && (
          <div className="empty">
            <strong>Nothing waits</strong>
            {counts.length > 0
              ? 'Every device has a box, a place and a management address.'
              : 'Declare a device, and what it still needs will stand here.'}
          </div>
        )}
      </div>
      {under.length > 0 && (
        <>
          <h2 className="section-title">
            Under way <span className="second">{under.length}</span>
          </h2>
          <div className="tracks">
            {under.map((a) => (
              <Track key={a.id} arrival={a} />
            ))}
          </div>
        </>
      )}
      <h2 className="section-title">Devices by stage</h2>
      <div className="panel">
        <div className="body stages">
          {Object.keys(stages)
            .filter((stage) => today.data?.counts[stage])
            .map((stage) => (
              <Link key={stage} to={`/devices?stage=${stage}`}>
                <b>{today.data?.counts[stage]}</b> <Stage stage={stage} />
              </Link>
            ))}
          {counts.length === 0 && <span className="second">No devices yet.</span>}
        </div>
      </div>
      {today.data?.doubts && today.data.doubts.count > 0 && (
        <>
          <h2 className="section-title">Doubts</h2>
          <div className="panel">
            <div className="body">
              <Link to="/doubts">
                {today.data.doubts.count} thing{today.data.doubts.count === 1 ? ' is' : 's are'} doubtful
              </Link>{' '}
              <span className="second">
                looked at <Ago at={today.data.doubts.at} /> ago
              </span>
            </div>
          </div>
        </>
      )}
      {adding && (
        <LazyRecordDrawer
          kind="device"
          onClose={() => setAdding(false)}
          onSaved={(device) => void navigate(pathOf('device', device.key))}
        />
      )}
    </Page>
  );
}

/** What is no record, and what is the same on several devices, has a page of its own. */
const pages: Partial<Record<Item['code'], string>> = {
  stranger: '/arrivals',
  drift: '/drift',
  unkept: '/drift?of=stored',
};
const pathOfItem = (item: Item): string => pages[item.code] ?? pathOf(item.kind, item.key);

function Row({ item, may }: { item: Item; may: boolean }) {
  const navigate = useNavigate();
  const { message } = App.useApp();
  const [busy, setBusy] = useState(false);
  const { words, severity, button } = matters[item.code].today;
  const assign = async () => {
    setBusy(true);
    try {
      const done = await client.call('device.assignManagement', { params: { ref: item.key }, body: {} });
      void message.success(`${done.address}/${done.length} for ${item.key}`);
      void queries.invalidateQueries({ queryKey: ['worked'] });
    } catch (error) {
      const { detail, remedy } = problemOf(error);
      void message.error(remedy ? `${detail}: ${remedy}` : detail);
    } finally {
      setBusy(false);
    }
  };
  return (
    <div className="todo">
      <span className={`mark ${severity}`} aria-hidden />
      <div>
        <div className="what">{words[0]?.toUpperCase() + words.slice(1)}</div>
        <Link className="mono second" to={pathOfItem(item)}>
          {item.key}
        </Link>
      </div>
      <span>{item.detail}</span>
      <span className="when">{item.since && <Ago at={item.since} />}</span>
      {item.remedy === 'assign-management' && may ? (
        <Button type="primary" loading={busy} onClick={() => void assign()}>
          Assign next free
        </Button>
      ) : (
        <Button onClick={() => void navigate(pathOfItem(item))}>{button}</Button>
      )}
    </div>
  );
}
