/** Whether what is derived from the records is as they say: the last check, and a new one on request. */
import { App, Button } from 'antd';
import { useQuery } from '@tanstack/react-query';
import type { SoundnessCheck } from '@zpine/contract/doctorRoutes';
import { client, keys, problemOf, queries } from '../api.ts';
import { Ago } from '../look/Ago.tsx';

const KEY = keys.worked('store-checks');

export function StoreChecks() {
  const { message } = App.useApp();
  const checks = useQuery({
    queryKey: KEY,
    queryFn: () => client.call('doctor.storeChecks'),
    refetchInterval: ({ state }) => (state.data?.items[0]?.state === 'under way' ? 1000 : false),
  });
  const [last] = checks.data?.items ?? [];
  const ask = async (mend: boolean) => {
    try {
      await client.call('doctor.store', { body: { mend } });
      void queries.invalidateQueries({ queryKey: KEY });
    } catch (error) {
      void message.error(problemOf(error).detail);
    }
  };
  const open = (last?.count ?? 0) - (last?.mended ?? 0);
  return (
    <>
      <h2 className="section-title">
        Store <span className="second">{last ? words(last) : 'not checked yet; that is done every night'}</span>
      </h2>
      <p className="hint">
        Free space, keys, room in racks, cable ends and search terms are kept beside the records. A check works them out
        again, by other means.
      </p>
      <div className="filters">
        <Button loading={last?.state === 'under way'} onClick={() => void ask(false)}>
          Check now
        </Button>
        {open > 0 && (
          <Button type="primary" onClick={() => void ask(true)}>
            Mend {open} {open === 1 ? 'difference' : 'differences'}
          </Button>
        )}
      </div>
      {last && <Differences check={last} />}
    </>
  );
}

const words = (check: SoundnessCheck) =>
  check.state === 'under way' ? (
    'being checked'
  ) : check.state === 'broken off' ? (
    `the last check was broken off: ${check.failure ?? ''}`
  ) : (
    <>
      {check.count === 0
        ? 'as the records say'
        : `${check.count} ${check.count === 1 ? 'difference' : 'differences'}, ${check.mended} mended`}
      , checked <Ago at={check.endedAt ?? check.at} suffix=" ago" />
    </>
  );

function Differences({ check }: { check: SoundnessCheck }) {
  const found = check.looks.filter((look) => look.count > 0);
  if (found.length === 0) return null;
  return (
    <dl className="facts">
      {found.map((look) => [
        <dt key={look.look}>
          {look.title} <span className="second">{look.count}</span>
        </dt>,
        <dd key={`${look.look} rows`}>
          {look.rows.map((row) => (
            <div key={row.about}>
              {row.about}: <span className="mono">{row.is}</span>, should be <span className="mono">{row.should}</span>
            </div>
          ))}
        </dd>,
      ])}
    </dl>
  );
}
