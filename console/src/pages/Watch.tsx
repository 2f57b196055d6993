import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { client, keys } from '../api.ts';
import { FleetTabs } from '../fleet/FleetTabs.tsx';
import { Ago } from '../look/Ago.tsx';
import { Page } from '../look/Page.tsx';
import { pathOf } from '../records/paths.ts';

const bad = /^(not reached|dark|down|shut|off)$/i;

/** What is watched, how it is, and what there was to tell. */
export default function Watch() {
  const watched = useQuery({
    queryKey: keys.worked('watched'),
    queryFn: () => client.call('watch.list', { query: {} }),
  });
  const notices = useQuery({
    queryKey: keys.worked('notices'),
    queryFn: () => client.call('notice.list', { query: { limit: '50' } }),
  });
  const items = watched.data?.items ?? [];
  const devices = [...new Set(items.map((one) => one.device))];
  const away = items.filter((one) => one.what === 'way in' && one.state !== 'reached').length;
  return (
    <Page
      title="Watch"
      sentence={
        watched.data
          ? devices.length === 0
            ? 'Nothing is watched: the setting watch.minutes says how often a device is looked at.'
            : `${devices.length} device${devices.length === 1 ? ' is' : 's are'} watched, ${away === 0 ? 'all are reached' : `${away} not reached`}.`
          : ''
      }
      actions={<Link to="/settings/watch.minutes">How often, and who is told</Link>}
    >
      <FleetTabs here="watch" />
      <div className="columns halves">
        <section className="panel" aria-label="Watched">
          <h2>Watched</h2>
          <div className="body">
            {devices.map((device) => {
              const own = items.filter((one) => one.device === device);
              const way = own.find((one) => one.what === 'way in');
              const ports = own.filter((one) => one.what !== 'way in');
              return (
                <div key={device} style={{ marginBottom: 10 }}>
                  <Link to={pathOf('device', device)} className="mono">
                    {device}
                  </Link>{' '}
                  {way && (
                    <>
                      <span style={{ color: way.state === 'reached' ? 'var(--pine)' : 'var(--berry)' }}>
                        {way.state === 'reached' ? '●' : '✕'}
                      </span>{' '}
                      {way.state}
                      {way.flapping && ', flaps'}{' '}
                      <span className="second">
                        for <Ago at={way.since} />
                      </span>
                    </>
                  )}
                  <div className="chips">
                    {ports.map((port) => (
                      <span key={port.what} className="chip mono" title={`since ${port.since}`}>
                        <span style={{ color: bad.test(port.state) ? 'var(--stone)' : 'var(--pine)' }}>
                          {bad.test(port.state) ? '○' : '●'}
                        </span>{' '}
                        {port.what}{' '}
                        <span className="second">
                          {port.state}
                          {port.flapping && ', flaps'}
                        </span>
                      </span>
                    ))}
                  </div>
                </div>
              );
            })}
          </div>
        </section>
        <section className="panel" aria-label="Notices">
          <h2>Notices</h2>
          <div className="body">
            {notices.data?.items.length === 0 && <p className="second">None yet.</p>}
            {notices.data?.items.map((one) => (
              <div key={one.id} style={{ marginBottom: 8 }}>
                {one.text}{' '}
                <span className="second">
                  <Ago at={one.at} /> ·{' '}
                  {one.mailedAt !== null
                    ? 'sent by e-mail'
                    : one.mailFault !== null
                      ? `e-mail not taken: ${one.mailFault}`
                      : 'no e-mail'}
                </span>
              </div>
            ))}
          </div>
        </section>
      </div>
    </Page>
  );
}
