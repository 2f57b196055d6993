import { Button, Input } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { Link, useSearchParams } from 'react-router';
import type { LiveAddress } from '@zpine/contract/liveRoutes';
import { client, keys, problemOf } from '../api.ts';
import { BehindPorts } from '../fleet/BehindPorts.tsx';
import { FleetTabs } from '../fleet/FleetTabs.tsx';
import { Ago } from '../look/Ago.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { Page } from '../look/Page.tsx';
import { useMay } from '../session.tsx';
import { pathOf } from '../records/paths.ts';

const relationWords = { exactly: 'exactly', inside: 'inside', around: 'around it' } as const;

/** What devices said last of addresses and MACs, beside the records. */
export default function Live() {
  const [params, setParams] = useSearchParams();
  const text = params.get('q') ?? '';
  const asked = text.trim();
  const isAddress = /^[0-9a-f:.]+\/\d+$/i.test(asked) || /^\d+\.\d+\.\d+\.\d+$/.test(asked) || asked.includes('::');
  const addresses = useQuery({
    queryKey: keys.worked('live', asked),
    queryFn: () => client.call('live.addresses', { query: { prefix: asked } }),
    enabled: isAddress,
    retry: false,
  });
  const macs = useQuery({
    queryKey: keys.worked('mac', asked),
    queryFn: () => client.call('live.mac', { query: { mac: asked } }),
    enabled: !isAddress && asked.length >= 4,
    retry: false,
  });
  const wrong = isAddress ? addresses.error : macs.error;
  const attempt = useAttempt();
  const may = useMay('engineer');
  const take = (one: LiveAddress) =>
    void attempt(async () => {
      const { device, interface: on, address } = one;
      const { done } = await client.call('live.take', { body: { addresses: [{ device, interface: on, address }] } });
      await addresses.refetch();
      return done.join('; ');
    });
  const askAgain = () =>
    void attempt(async () => {
      const devices = [...new Set((addresses.data?.items ?? []).map(({ device }) => device))];
      const run = await client.call('run.ask', { body: { devices, asks: [{ question: 'interfaces' }] } });
      for (let i = 0; i < 120; i += 1) {
        const { state } = await client.call('run.show', { params: { id: String(run.id) }, query: { rows: 'none' } });
        if (state === 'ended') break;
        await new Promise((resolve) => setTimeout(resolve, 300));
      }
      await addresses.refetch();
      return `${devices.length} device${devices.length === 1 ? ' was' : 's were'} asked again`;
    });
  return (
    <Page
      title="Look up live"
      sentence="Where is this MAC; which interfaces have an address in this prefix: by the devices' own words, beside the records."
    >
      <FleetTabs here="live" />
      <Input
        aria-label="Prefix, address or MAC"
        className="mono"
        autoFocus
        allowClear
        spellCheck={false}
        style={{ maxWidth: 420, marginBottom: 14 }}
        placeholder="10.77.0.0/24 · 10.77.0.41 · 02:00:00:ca:fe:07 · cafe"
        value={text}
        onChange={(event) => setParams(event.target.value === '' ? {} : { q: event.target.value }, { replace: true })}
      />
      {wrong && asked !== '' && <p className="second">{problemOf(wrong).detail}</p>}
      {asked === '' && (
        <p className="second">
          What is known here comes from the questions <span className="mono">interfaces</span> and{' '}
          <span className="mono">macs</span>. <Link to="/fleet?do=ask">Ask them again</Link>
        </p>
      )}
      {asked === '' && <BehindPorts />}
      {isAddress && may && (addresses.data?.items.length ?? 0) > 0 && (
        <p style={{ marginBottom: 12 }}>
          <Button onClick={askAgain}>Ask them again</Button>
        </p>
      )}
      {isAddress && addresses.data && (
        <table className="plain-table">
          <thead>
            <tr>
              <th>Address</th>
              <th>Device</th>
              <th>Interface</th>
              <th>Network</th>
              <th>State</th>
              <th>Seen</th>
              <th>In the records</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {addresses.data.items.map((one) => (
              <tr key={`${one.device} ${one.interface} ${one.address}`}>
                <td className="mono">{one.address}</td>
                <td className="mono">
                  <Link to={pathOf('device', one.device)}>{one.device}</Link>
                </td>
                <td className="mono">{one.interface}</td>
                <td>{one.seenAt === null ? '' : relationWords[one.relation]}</td>
                <td>{one.state}</td>
                <td className="second">{one.seenAt === null ? 'not seen' : <Ago at={one.seenAt} />}</td>
                <td className="mono">{one.recorded ?? <span className="second">nobody</span>}</td>
                <td>
                  <Agreement seen={one.seenAt !== null} agrees={one.agrees} />{' '}
                  {may && one.take !== null && (
                    <Button size="small" title={one.take} onClick={() => take(one)}>
                      {one.recorded === null ? 'Take it' : 'Correct'}
                    </Button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {!isAddress && macs.data && (
        <table className="plain-table">
          <thead>
            <tr>
              <th>MAC</th>
              <th>Device</th>
              <th>Port</th>
              <th>VLAN</th>
              <th className="number">MACs on the port</th>
              <th>Seen</th>
            </tr>
          </thead>
          <tbody>
            {macs.data.items.map((one) => (
              <tr key={`${one.device} ${one.interface} ${one.mac} ${one.vlan ?? ''}`}>
                <td className="mono">{one.mac}</td>
                <td className="mono">
                  <Link to={pathOf('device', one.device)}>{one.device}</Link>
                </td>
                <td className="mono">{one.interface}</td>
                <td className="mono">{one.vlan}</td>
                <td className="number">{one.macsOnPort}</td>
                <td className="second">
                  <Ago at={one.seenAt} />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {((isAddress && addresses.data?.items.length === 0) || (!isAddress && macs.data?.items.length === 0)) && (
        <p className="second">
          No device said so. <Link to="/fleet?do=ask">Ask {isAddress ? 'interfaces' : 'macs'} again</Link>
        </p>
      )}
    </Page>
  );
}

/** Nobody said otherwise where nobody was asked. */
function Agreement({ seen, agrees }: { seen: boolean; agrees: boolean }) {
  if (!seen) return <span className="second">○ not seen</span>;
  const colour = agrees ? 'var(--pine)' : 'var(--berry)';
  return (
    <>
      <span style={{ color: colour }}>{agrees ? '●' : '✕'}</span> {agrees ? 'agree' : 'differ'}
    </>
  );
}
