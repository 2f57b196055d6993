import { useQuery } from '@tanstack/react-query';
import { Button } from 'antd';
import { client, keys } from '../api.ts';
import { Track } from '../arrivals/Track.tsx';
import { Ago } from '../look/Ago.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { exact } from '../look/time.ts';
import { useMay } from '../session.tsx';

const HOURS = 72;

/** The newest arrival of a device, and its window. */
export function ArrivalPanel({ device, stage, closes }: { device: string; stage: string; closes: string | null }) {
  const attempt = useAttempt();
  const may = useMay('installer');
  const mayClose = useMay('engineer');
  const found = useQuery({
    queryKey: keys.worked('arrivals', device),
    queryFn: () => client.call('arrival.list', { query: { device, limit: '1' } }),
  });
  const editions = useQuery({
    queryKey: keys.worked('editions', device),
    queryFn: () => client.call('edition.list', { params: { ref: device } }),
  });
  const published = editions.data?.items.some((e) => e.publishedAt !== null) ?? false;
  const [arrival] = found.data?.items ?? [];
  if (!arrival && !published) return null;
  const open = () =>
    void attempt(async () => {
      await client.call('arrival.open', { params: { ref: device }, body: { hours: HOURS } });
      return `${device} may fetch its files for ${HOURS} hours`;
    });
  const prove = () =>
    void attempt(async () => {
      await client.call('device.prove', { params: { ref: device }, body: {} });
      return `${device} is being proved`;
    });
  const close = () =>
    void attempt(async () => {
      await client.call('arrival.close', { params: { ref: device } });
      return 'the arrival window is closed';
    });
  return (
    <>
      <h2 className="section-title">
        Arrival
        <span className="second">
          {closes ? (
            <>the window is open until {exact(closes)}</>
          ) : arrival?.endedAt ? (
            <>
              the window closed <Ago at={arrival.endedAt} suffix=" ago" />
            </>
          ) : (
            'the window is closed: it would get no boot file'
          )}
        </span>
        <span style={{ marginLeft: 'auto', display: 'flex', gap: 6 }}>
          {may && published && stage !== 'serving' && stage !== 'retired' && (
            <Button size="small" onClick={prove}>
              Prove it as it is
            </Button>
          )}
          {(closes ? mayClose : may) && (
            <Button size="small" onClick={closes ? close : open}>
              {closes ? 'Close the window' : 'Open the window'}
            </Button>
          )}
        </span>
      </h2>
      {arrival && <Track arrival={arrival} named={false} />}
    </>
  );
}
