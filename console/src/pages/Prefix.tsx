import { countWords } from '@zpine/core/addressing/count';
import { App, Button, Dropdown } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { parsePrefix, sizeOf } from '@zpine/core/addressing/prefix';
import { bitsOf } from '@zpine/core/addressing/ip';
import { BlockMap } from '../addressing/BlockMap.tsx';
import { CarveDrawer } from '../addressing/CarveDrawer.tsx';
import { FillHistory } from '../addressing/FillHistory.tsx';
import { ReshapeDrawer, type Reshape } from '../addressing/ReshapeDrawer.tsx';
import { Leases } from '../addressing/Leases.tsx';
import { Sweep } from '../addressing/Sweep.tsx';
import { ReserveDrawer } from '../addressing/ReserveDrawer.tsx';
import { client, keys, problemOf, queries } from '../api.ts';
import type { AnyRecord } from '@zpine/contract/kind';
import { Page } from '../look/Page.tsx';
import { pathOf } from '../records/paths.ts';
import { RecordActions } from '../records/RecordActions.tsx';
import { RecordDrawer } from '../records/RecordDrawer.tsx';
import { RecordHistory } from '../records/RecordHistory.tsx';
import { Facts } from '../records/RecordPage.tsx';
import { Refused } from '../records/Refused.tsx';
import { sentenceOf } from '../records/words.ts';
import { useMay } from '../session.tsx';
import { Fill } from './Fill.tsx';
import { SpaceMap } from './SpaceMap.tsx';

/** The largest prefix whose addresses are drawn one by one. */
const DRAWN = 1024n;

export default function PrefixPage({ cidr }: { cidr: string }) {
  const found = useQuery({ queryKey: keys.record('prefix', cidr), queryFn: () => client.show('prefix', cidr) });
  const space = useQuery({
    queryKey: keys.worked('space', cidr),
    queryFn: () => client.call('prefix.space', { params: { ref: cidr } }),
  });
  const parents = useQuery({ queryKey: keys.worked('parents', cidr), queryFn: () => parentsOf(cidr) });
  const { message } = App.useApp();
  const may = useMay('engineer');
  const [reserving, setReserving] = useState<string>();
  const [carving, setCarving] = useState(false);
  const [reshaping, setReshaping] = useState<Reshape>();
  const [keeping, setKeeping] = useState(false);
  const [placing, setPlacing] = useState<string>();
  if (found.isError) return <Refused title={cidr} error={found.error} back="/prefixes" />;
  if (!found.data) return <Page title={cidr} mono children={null} />;
  const record = found.data as AnyRecord;
  const p = parsePrefix(String(record.cidr));
  const drawn = p.ok && sizeOf(p.value) <= DRAWN && (space.data?.children ?? 0) === 0;

  const reserveNext = async () => {
    try {
      const { address } = await client.call('address.propose', { query: { prefix: cidr } });
      setReserving(address);
    } catch (error) {
      const { detail, remedy } = problemOf(error);
      void message.error(remedy ? `${detail}: ${remedy}` : detail);
    }
  };
  const vrf = record.vrf === 'default' ? '' : ` · VRF ${String(record.vrf)}`;
  const next = space.data?.next ? ` · next free ${space.data.next}` : space.data ? ' · full' : '';
  return (
    <Page
      title={String(record.cidr)}
      mono
      crumbs={[
        ['Addressing', '/prefixes'],
        ...(parents.data ?? []).map((key): [string, string] => [key, pathOf('prefix', key)]),
        [String(record.key), undefined],
      ]}
      sentence={`${sentenceOf('prefix', record)}${vrf}${next}`}
      actions={
        <>
          {may && p.ok && p.value.length < bitsOf(p.value.family) && (
            <Button onClick={() => setCarving(true)}>Carve …</Button>
          )}
          {may && p.ok && (
            <Dropdown
              trigger={['click']}
              menu={{
                items: [
                  { key: 'split', label: 'Split …' },
                  { key: 'resize', label: 'Resize …' },
                  { key: 'merge', label: 'Merge …' },
                  { key: 'reserve', label: 'Reserve several …' },
                ],
                onClick: ({ key }) => (key === 'reserve' ? setKeeping(true) : setReshaping(key as Reshape)),
              }}
            >
              <Button>More ▾</Button>
            </Dropdown>
          )}
          <RecordActions
            kind="prefix"
            record={record}
            primary={
              may && (
                <Button type="primary" onClick={() => void reserveNext()}>
                  Assign next free
                </Button>
              )
            }
          />
        </>
      }
    >
      {carving && p.ok && (
        <CarveDrawer
          prefix={record.key}
          length={Math.min(p.value.length + 4, bitsOf(p.value.family))}
          onClose={() => setCarving(false)}
        />
      )}
      {keeping && <ReserveDrawer prefix={record.key} onClose={() => setKeeping(false)} />}
      {reshaping && p.ok && (
        <ReshapeDrawer
          verb={reshaping}
          prefix={record.key}
          parent={typeof record.parent === 'string' ? record.parent : null}
          length={p.value.length}
          onClose={() => setReshaping(undefined)}
        />
      )}
      <div className="columns">
        <div>
          <div className={drawn ? 'with-map' : ''}>
            <div className="panel">
              <div className="body">
                <Facts kind="prefix" record={record}>
                  {space.data && (
                    <>
                      <dt>Filled</dt>
                      <dd>
                        <Fill percent={space.data.fillPercent} />
                      </dd>
                      <dt>Free</dt>
                      <dd>{countWords(space.data.free)} for fixed assignment</dd>
                      <dt>Taken</dt>
                      <dd>
                        {space.data.assigned} addresses, {space.data.children} prefixes
                      </dd>
                      {space.data.resting.length > 0 && (
                        <>
                          <dt>Resting</dt>
                          <dd className="mono">
                            {space.data.resting
                              .slice(0, 6)
                              .map((one) => one.address)
                              .join(', ')}
                            {space.data.resting.length > 6 && ` and ${space.data.resting.length - 6} more`}
                          </dd>
                        </>
                      )}
                      {space.data.runsOut && (
                        <>
                          <dt>Full about</dt>
                          <dd>{space.data.runsOut}, if it goes on as in the last month</dd>
                        </>
                      )}
                      <FillHistory space={space.data} />
                    </>
                  )}
                </Facts>
              </div>
            </div>
            {drawn && space.data && (
              <SpaceMap record={record} space={space.data} onFree={may ? setReserving : undefined} />
            )}
          </div>
          {!drawn && space.data && p.ok && p.value.length < bitsOf(p.value.family) && (
            <BlockMap prefix={record.key} space={space.data} onHole={may ? setPlacing : undefined} />
          )}
          <Below parent={record.key} />
          <Addresses prefix={record.key} />
        </div>
        <RecordHistory kind="prefix" id={record.id} />
      </div>
      <Leases of={{ prefix: record.key }} />
      <Sweep prefix={record} />
      {placing && (
        <RecordDrawer
          kind="prefix"
          preset={{ cidr: placing, vrf: record.vrf ?? 'default', ...(record.site ? { site: record.site } : {}) }}
          onClose={() => setPlacing(undefined)}
          onSaved={() => void queries.invalidateQueries()}
        />
      )}
      {reserving && (
        <RecordDrawer
          kind="address"
          preset={{ address: reserving, vrf: record.vrf ?? 'default' }}
          onClose={() => setReserving(undefined)}
          onSaved={() => void queries.invalidateQueries()}
        />
      )}
    </Page>
  );
}

async function parentsOf(cidr: string): Promise<string[]> {
  const above: string[] = [];
  let key = (await client.show('prefix', cidr)).parent;
  while (key !== null && above.length < 32) {
    above.unshift(key);
    key = (await client.show('prefix', key)).parent;
  }
  return above;
}

function Below({ parent }: { parent: string }) {
  const query = { parent, limit: 100, count: 'true' };
  const found = useQuery({ queryKey: keys.list('prefix', query), queryFn: () => client.list('prefix', query) });
  const items = found.data?.items ?? [];
  if (items.length === 0) return null;
  return (
    <>
      <h2 className="section-title">
        Inside it <span className="second">{found.data?.count}</span>
      </h2>
      <div className="panel">
        {items.map((item) => (
          <div className="set line" key={item.id} style={{ display: 'flex', gap: 14 }}>
            <Link className="mono" style={{ minWidth: 190 }} to={pathOf('prefix', item.key)}>
              {item.cidr}
            </Link>
            <span>{item.description}</span>
            <span className="second" style={{ marginLeft: 'auto' }}>
              {[item.site?.toUpperCase(), item.vlan && `VLAN ${item.vlan.split('/').at(-1)}`]
                .filter(Boolean)
                .join(' · ')}
            </span>
          </div>
        ))}
      </div>
    </>
  );
}

function Addresses({ prefix }: { prefix: string }) {
  const query = { prefix, limit: 100, count: 'true' };
  const found = useQuery({ queryKey: keys.list('address', query), queryFn: () => client.list('address', query) });
  const items = found.data?.items ?? [];
  if (items.length === 0) return null;
  return (
    <>
      <h2 className="section-title">
        Addresses <span className="second">{found.data?.count}</span>
      </h2>
      <div className="panel">
        {items.map((item) => (
          <div className="set line" key={item.id} style={{ display: 'flex', gap: 14 }}>
            <Link className="mono" style={{ minWidth: 190 }} to={pathOf('address', item.key)}>
              {item.address}
            </Link>
            {item.interface ? (
              <Link className="mono" to={pathOf('device', item.interface.split(':')[0] ?? '')}>
                {item.interface}
              </Link>
            ) : (
              <span className="second">reserved</span>
            )}
            <span style={{ marginLeft: 'auto' }}>{item.description}</span>
          </div>
        ))}
      </div>
    </>
  );
}
