import { Input } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { Link, useSearchParams } from 'react-router';
import { client, keys, problemOf } from '../api.ts';
import { FleetTabs } from '../fleet/FleetTabs.tsx';
import { Ago } from '../look/Ago.tsx';
import { Page } from '../look/Page.tsx';
import { pathOf } from '../records/paths.ts';

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
      {isAddress && addresses.data && (
        <table className="plain-table">
          <thead>
            <tr>
              <th>Address</th>
              <th>Device</th>
              <th>Interface</th>
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
                <td>{one.state}</td>
                <td className="second">{one.seenAt === null ? 'not seen' : <Ago at={one.seenAt} />}</td>
                <td className="mono">{one.recorded ?? <span className="second">nobody</span>}</td>
                <td>
                  <Agreement seen={one.seenAt !== null} agrees={one.agrees} />
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
