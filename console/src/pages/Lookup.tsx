import { Input } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { Fragment } from 'react';
import { Link, useSearchParams } from 'react-router';
import type { FoundAt } from '@zpine/contract/addressingRoutes';
import { convert } from '@zpine/core/addressing/convert';
import { Fitting, Overlapping } from '../addressing/WholePlan.tsx';
import { client, keys, problemOf } from '../api.ts';
import { Ago } from '../look/Ago.tsx';
import { Page } from '../look/Page.tsx';
import { pathOf } from '../records/paths.ts';

/** What an address or a prefix is by the records, and what follows from it by arithmetic alone. */
export default function Lookup() {
  const [params, setParams] = useSearchParams();
  const text = params.get('q') ?? '';
  const asked = text.trim();
  const worked = asked === '' ? undefined : convert(asked);
  const facts = worked?.ok ? worked.value : undefined;
  // Only addresses and prefixes stand in the records.
  const known = facts !== undefined && /^[0-9a-f:.]+(\/\d+)?$/i.test(asked) && facts.is !== 'mask';
  const found = useQuery({
    queryKey: keys.worked('lookup', asked),
    queryFn: () => client.call('address.lookup', { query: { q: asked } }),
    enabled: known,
    retry: false,
    placeholderData: (before) => before,
  });
  return (
    <Page
      title="Look up"
      sentence="An address, a prefix, a range, a mask, an address with a mask, or a reverse name."
      crumbs={[
        ['Addressing', '/prefixes'],
        ['Look up', undefined],
      ]}
    >
      <Input
        aria-label="What to look up"
        className="mono"
        autoFocus
        allowClear
        spellCheck={false}
        style={{ maxWidth: 460, marginBottom: 14 }}
        placeholder="10.77.16.11 · 10.77.16.0/20 · 10.0.0.9 255.255.252.0 · 10.0.0.5-10.0.0.9"
        value={text}
        onChange={(event) => setParams(event.target.value === '' ? {} : { q: event.target.value }, { replace: true })}
      />
      {worked && !worked.ok && (
        <p className="second">Not an address, a prefix, a range, a mask or a reverse name yet.</p>
      )}
      {asked === '' && (
        <>
          <Fitting />
          <Overlapping />
        </>
      )}
      <div className="columns">
        <div>
          {known && found.isError && <div className="refused">{problemOf(found.error).detail}</div>}
          {known && found.data?.found.length === 0 && (
            <p className="second">The records know nothing of it: no prefix covers it, and nothing lies in it.</p>
          )}
          {known && found.data?.found.map((one) => <Found key={one.vrf} one={one} is={found.data.is} />)}
        </div>
        {facts && (
          <section className="panel" aria-label="Worked out">
            <h2>Worked out</h2>
            <div className="body">
              <dl className="facts">
                {facts.facts.map(([name, value]) => (
                  <Fragment key={name}>
                    <dt>{name}</dt>
                    <dd className="mono" style={{ overflowWrap: 'anywhere' }}>
                      {value}
                    </dd>
                  </Fragment>
                ))}
              </dl>
            </div>
          </section>
        )}
      </div>
    </Page>
  );
}

function Found({ one, is }: { one: FoundAt; is: 'address' | 'prefix' }) {
  const { holder } = one;
  return (
    <section className="panel" aria-label={`In VRF ${one.vrf}`} style={{ marginBottom: 14 }}>
      <h2>
        VRF {one.vrf}
        {is === 'address' && !holder && <span className="second"> · {one.kept ?? 'free'}</span>}
      </h2>
      <div className="body">
        <dl className="facts">
          {holder && (
            <>
              <dt>Held by</dt>
              <dd>
                {holder.carriers.length > 0 ? (
                  holder.carriers.map((one) => (
                    <span key={one} style={{ marginRight: 10 }}>
                      <To kind="interface" of={one} />
                    </span>
                  ))
                ) : holder.interface ? (
                  <To kind="interface" of={holder.interface} />
                ) : (
                  `nobody: reserved${holder.description ? `, ${holder.description}` : ''}`
                )}
              </dd>
            </>
          )}
          {one.lease && (
            <>
              <dt>Lease</dt>
              <dd>
                {one.lease.state}: {one.lease.device ?? one.lease.client}{' '}
                <span className="second">until {one.lease.until.slice(0, 16).replace('T', ' ')}</span>
              </dd>
            </>
          )}
          {holder?.device && (
            <>
              <dt>Device</dt>
              <dd>
                <To kind="device" of={holder.device} /> <span className="second">{holder.place}</span>
              </dd>
            </>
          )}
          {holder?.plugged && (
            <>
              <dt>Plugged to</dt>
              <dd>{holder.plugged}</dd>
            </>
          )}
          {one.covering.length > 0 && (
            <>
              <dt>Inside</dt>
              <dd>
                <Prefixes prefixes={one.covering} />
              </dd>
            </>
          )}
          {one.count.prefixes > 0 && (
            <>
              <dt>{one.count.prefixes === 1 ? 'A prefix' : `${one.count.prefixes} prefixes`} in it</dt>
              <dd>
                <Prefixes prefixes={one.prefixes} />
              </dd>
            </>
          )}
          {one.count.addresses > 0 && (
            <>
              <dt>{one.count.addresses === 1 ? 'An address' : `${one.count.addresses} addresses`} in it</dt>
              <dd>
                {one.addresses.map((a) => (
                  <div key={a.address}>
                    <To kind="address" of={a.address} />{' '}
                    {a.interface ? (
                      <To kind="interface" of={a.interface} />
                    ) : (
                      <span className="second">{a.description}</span>
                    )}
                  </div>
                ))}
              </dd>
            </>
          )}
          {one.before.length > 0 && (
            <>
              <dt>History</dt>
              <dd>
                {one.before.map((b) => (
                  <div key={`${b.at} ${b.action}`}>
                    <Ago at={b.at} /> {b.action} by {b.actor} <span className="mono second">{b.interface}</span>
                  </div>
                ))}
              </dd>
            </>
          )}
        </dl>
      </div>
    </section>
  );
}

const To = ({ kind, of }: { kind: string; of: string }) => (
  <Link className="mono" to={pathOf(kind, of)}>
    {of}
  </Link>
);

const Prefixes = ({ prefixes }: { prefixes: FoundAt['covering'] }) =>
  prefixes.map((one) => (
    <div key={one.prefix}>
      <To kind="prefix" of={one.prefix} />{' '}
      <span className="second">
        {[one.description, one.vlan && `VLAN ${one.vlan}`, one.use].filter(Boolean).join(' · ')}
      </span>
    </div>
  ));
