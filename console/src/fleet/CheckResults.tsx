import { Button } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { fewOf, unknownsOf } from '@zpine/contract/checkFolding';
import type { ShownResult } from '@zpine/contract/checkShapes';
import { client, keys } from '../api.ts';
import { Ago } from '../look/Ago.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { pathOf } from '../records/paths.ts';
import { LazyRecordDrawer } from '../records/LazyRecordDrawer.tsx';
import { useMay } from '../session.tsx';
import { CheckState } from './CheckState.tsx';

type Of = { check: string } | { device: string };

/** What was found last of one check, or on one device; each with the button that mends it. */
export function CheckResults({ of }: { of: Of }) {
  const [excepting, setExcepting] = useState<ShownResult>();
  const found = useQuery({
    queryKey: keys.worked('check-results', of),
    queryFn: () => client.call('check.results', { query: { ...of, limit: '1000' } }),
  });
  const items = found.data?.items ?? [];
  const told = items.filter(({ state }) => state === 'broken' || state === 'excepted');
  const holds = items.filter(({ state }) => state === 'holds');
  const name = (one: ShownResult) => ('check' in of ? one.device : one.check);
  const path = (one: ShownResult) =>
    'check' in of ? `${pathOf('device', one.device)}?show=fleet` : pathOf('check', one.check);
  if (!found.data) return null;
  if (items.length === 0) return <p className="second">Nothing was judged yet.</p>;
  return (
    <>
      {told.length > 0 && (
        <table className="plain-table">
          <tbody>
            {told.map((one) => (
              <tr key={`${one.check} ${one.device}`}>
                <td className="mono">
                  <Link to={path(one)}>{name(one)}</Link>
                </td>
                <td>
                  <CheckState of={one.state} />
                </td>
                <td>
                  {'device' in of && <div>{one.title}</div>}
                  {one.findings.map((line) => (
                    <div key={line} className="mono">
                      {line}
                    </div>
                  ))}
                  {one.until !== null && (
                    <div className="second">
                      until {one.until}: {one.because}
                    </div>
                  )}
                </td>
                <td className="second nowrap">
                  since <Ago at={one.since} />
                </td>
                <td className="nowrap">{one.state === 'broken' && <Mend one={one} onExcept={setExcepting} />}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {unknownsOf(items).map(({ why, checks, devices }) => (
        <p key={`${why} ${checks.join(' ')} ${devices.join(' ')}`}>
          <CheckState of="unknown" /> <span className="mono">{'check' in of ? fewOf(devices) : fewOf(checks)}</span>{' '}
          <span className="second">{why}</span>
        </p>
      ))}
      {holds.length > 0 && (
        <p>
          <CheckState of="holds" />{' '}
          <span className="mono" title={holds.map(name).join(', ')}>
            {fewOf(holds.map(name))}
          </span>
        </p>
      )}
      {found.data.more && <p className="second">There is more than is shown here.</p>}
      {excepting && (
        <LazyRecordDrawer
          kind="exception"
          preset={{ check: excepting.check, device: excepting.device }}
          onClose={() => setExcepting(undefined)}
        />
      )}
    </>
  );
}

/** The remedy of its check, or an exception with an end. */
function Mend({ one, onExcept }: { one: ShownResult; onExcept: (one: ShownResult) => void }) {
  const attempt = useAttempt();
  const navigate = useNavigate();
  const may = useMay('engineer');
  if (!may) return null;
  const push = () =>
    void attempt(async () => {
      const { id } = await client.call('run.push', { body: { devices: [one.device] } });
      void navigate(`/fleet/${id}`);
      return 'what would be changed is being looked at';
    });
  return (
    <>
      {one.remedy === 'push' && (
        <Button size="small" title={one.command} onClick={push}>
          Push …
        </Button>
      )}
      {one.remedy === 'setting' && (
        <Link to={`${pathOf('device', one.device)}?show=settings`} title={one.command}>
          <Button size="small">Settings</Button>
        </Link>
      )}
      {one.remedy === 'errand' && (
        <Link
          to={`/fleet?do=errand&where=${encodeURIComponent(`name=${one.device}`)}&lines=${encodeURIComponent(one.lines)}`}
          title={one.command}
        >
          <Button size="small">Errand …</Button>
        </Link>
      )}{' '}
      <Button size="small" onClick={() => onExcept(one)}>
        Except …
      </Button>
    </>
  );
}
