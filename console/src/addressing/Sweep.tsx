import { Button, Checkbox, Progress } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { rungs } from '@zpine/core/fleet/rungs';
import type { AnyRecord } from '@zpine/contract/kind';
import type { Swept } from '@zpine/contract/sweepRoutes';
import { client, keys } from '../api.ts';
import { useAttempt } from '../look/attempt.tsx';
import { useMay } from '../session.tsx';

const clock = (iso: string): string => `${iso.slice(0, 10)} ${new Date(iso).toLocaleTimeString('en-GB')}`;

/** Who answers at addresses that the records do not know; those that were recognised can be taken in. */
export function Sweep({ prefix }: { prefix: AnyRecord }) {
  const attempt = useAttempt();
  const navigate = useNavigate();
  const may = useMay('engineer');
  const [ticked, setTicked] = useState<string[]>();
  const newest = useQuery({
    queryKey: keys.worked('sweeps', prefix.key),
    queryFn: async () => {
      const [last] = (await client.call('sweep.list', { query: { prefix: prefix.key } })).items;
      return last ? client.call('sweep.show', { params: { id: String(last.id) } }) : null;
    },
    refetchInterval: ({ state }) => (state.data && state.data.state !== 'ended' ? 1000 : false),
  });
  const sweep = newest.data;
  if (prefix.sweep === 'no' && !sweep) return null;
  const going = sweep !== undefined && sweep !== null && sweep.state !== 'ended';
  const begin = () =>
    void attempt(async () => {
      const { total } = await client.call('sweep.start', { body: { prefix: prefix.key } });
      setTicked(undefined);
      return `${total} addresses are gone through`;
    });
  const stop = () =>
    void attempt(async () => {
      if (sweep) await client.call('sweep.stop', { params: { id: String(sweep.id) } });
      return 'it ends';
    });
  const found = sweep?.found ?? [];
  // Where nobody was signed in on, nobody said anything.
  const whole = found.some(({ met }) => met !== null);
  const heads = ['Address', 'As far as', ...(whole ? ['Dialect', 'Name', 'Model', 'Serial'] : []), 'What it shows'];
  const chosen = ticked ?? found.filter(({ met }) => met !== null).map(({ address }) => address);
  const take = () =>
    void attempt(async () => {
      const body = { addresses: chosen, apply: true, ...(prefix.site ? { site: String(prefix.site) } : {}) };
      const done = await client.call('sweep.take', { params: { id: String(sweep?.id) }, body });
      const [fault] = done.faults;
      if (fault) throw new Error(fault.remedy ? `${fault.detail}. ${fault.remedy}` : fault.detail);
      void navigate('/devices?stage=unproved');
      return `${chosen.length} taken in, as unproved devices`;
    });
  const tick = (address: string, on: boolean) =>
    setTicked(on ? [...chosen, address] : chosen.filter((one) => one !== address));
  return (
    <section aria-label="Sweep">
      <h2 className="section-title">
        Who answers here
        {may && prefix.sweep !== 'no' && (
          <Button size="small" onClick={going ? stop : begin} style={{ marginLeft: 12 }}>
            {going ? 'Stop' : 'Sweep'}
          </Button>
        )}
      </h2>
      <p className="hint">
        {sweep
          ? `${clock(sweep.madeAt)}, by ${sweep.by}: ${sweep.done} of ${sweep.total} addresses, ${sweep.shut} with the port shut, ${sweep.silent} silent; ${sweep.known} known, not tried${sweep.ended === null ? '' : `; ${sweep.ended}`}`
          : 'addresses that the records do not know have not been gone through yet'}
      </p>
      {going && (
        <Progress
          aria-label="How far it is"
          percent={Math.round((100 * sweep.done) / Math.max(1, sweep.total))}
          strokeColor="var(--pine)"
        />
      )}
      {sweep?.remarks.map((remark) => (
        <p key={remark} className="hint">
          {remark}
        </p>
      ))}
      {found.length > 0 && (
        <>
          <table className="plain-table">
            <thead>
              <tr>
                <th />
                {heads.map((head) => (
                  <th key={head}>{head}</th>
                ))}
              </tr>
            </thead>
            <tbody>
              {found.map((one) => (
                <Row
                  key={one.address}
                  one={one}
                  ticked={chosen.includes(one.address)}
                  whole={whole}
                  may={may}
                  onTick={tick}
                />
              ))}
            </tbody>
          </table>
          {may && !going && (
            <Button type="primary" disabled={chosen.length === 0} onClick={take} style={{ marginTop: 12 }}>
              Take in {chosen.length}
            </Button>
          )}
        </>
      )}
    </section>
  );
}

function Row({
  one: { address, rung, met, by, hostKey, detail },
  ticked,
  whole,
  may,
  onTick,
}: {
  one: Swept;
  ticked: boolean;
  whole: boolean;
  may: boolean;
  onTick: (address: string, on: boolean) => void;
}) {
  return (
    <tr>
      <td>
        <Checkbox
          aria-label={`Take in ${address}`}
          checked={ticked}
          disabled={!may}
          onChange={(event) => onTick(address, event.target.checked)}
        />
      </td>
      <td className="mono">{address}</td>
      <td>{rungs[rung]}</td>
      {whole && (
        <>
          <td>{met?.dialect}</td>
          <td className="mono nowrap">{met?.name}</td>
          <td className="mono nowrap">{met?.model}</td>
          <td className="mono nowrap">{met?.serial}</td>
        </>
      )}
      <td className="second">
        {met && hostKey ? `${hostKey.algorithm} ${hostKey.fingerprint}` : detail}
        {by && `; let in by ${by}`}
      </td>
    </tr>
  );
}
