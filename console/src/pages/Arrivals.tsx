import { useQuery } from '@tanstack/react-query';
import { client, keys, problemOf } from '../api.ts';
import { Strangers } from '../arrivals/Strangers.tsx';
import { Track } from '../arrivals/Track.tsx';
import { Page } from '../look/Page.tsx';
import { GroupTabs } from '../records/GroupTabs.tsx';

const LATELY = 20;

/** Who boots just now, who does not get on, and who is unknown. */
export default function Arrivals() {
  const arrivals = useQuery({
    queryKey: keys.worked('arrivals'),
    queryFn: () => client.call('arrival.list', { query: { limit: '100' } }),
  });
  const strangers = useQuery({
    queryKey: keys.worked('strangers'),
    queryFn: () => client.call('stranger.list', { query: {} }),
    // Their packets are told of only now and then.
    refetchInterval: 15_000,
  });
  const all = arrivals.data?.items ?? [];
  const open = all.filter((a) => a.endedAt === null);
  const under = open.filter((a) => a.milestones.length > 0);
  const expected = open.filter((a) => a.milestones.length === 0);
  const lately = all.filter((a) => a.endedAt !== null && a.milestones.length > 0).slice(0, LATELY);
  const unknown = strangers.data?.items ?? [];
  const words = [
    under.length > 0 && `${under.length} under way`,
    expected.length > 0 && `${expected.length} waited for`,
    unknown.length > 0 && `${unknown.length} unknown`,
  ].filter(Boolean);
  return (
    <Page
      title="Arrivals"
      sentence={arrivals.data ? (words.length > 0 ? `${words.join(' · ')}.` : 'Nobody boots just now.') : ''}
    >
      <GroupTabs kind="batch" leads />
      {arrivals.isError && <div className="refused">{problemOf(arrivals.error).detail}</div>}
      {unknown.length > 0 && (
        <>
          <h2 className="section-title">
            Strangers <span className="second">{unknown.length}</span>
          </h2>
          <Strangers items={unknown} />
        </>
      )}
      <Group title="Under way" items={under} />
      <Group title="Expected" items={expected} />
      <Group title="Lately" items={lately} />
      {arrivals.data && all.length === 0 && (
        <div className="panel">
          <div className="empty">
            <strong>No arrivals yet</strong>
            Make and publish an edition on a device’s page and open its arrival window; when it boots from the network,
            its milestones show here.
          </div>
        </div>
      )}
    </Page>
  );
}

function Group({ title, items }: { title: string; items: Parameters<typeof Track>[0]['arrival'][] }) {
  if (items.length === 0) return null;
  return (
    <>
      <h2 className="section-title">
        {title} <span className="second">{items.length}</span>
      </h2>
      <div className="tracks">
        {items.map((a) => (
          <Track key={a.id} arrival={a} />
        ))}
      </div>
    </>
  );
}
