import { Link } from 'react-router';
import { fewOf, foundAlike, unknownsOf } from '@zpine/contract/checkFolding';
import type { ShownRun } from '@zpine/contract/fleetShapes';
import { pathOf } from '../records/paths.ts';
import { CheckState } from './CheckState.tsx';
import { Outcome } from './Outcome.tsx';

/** What checks came to in a run: what does not hold first, then what is not known, by its reason. */
export function Judged({ run }: { run: ShownRun }) {
  const judged = run.rows.flatMap((row) => (row.judged ?? []).map((one) => ({ ...one, device: row.device })));
  const broken = foundAlike(judged);
  const unknown = unknownsOf(judged);
  const holds = judged.filter(({ state }) => state === 'holds').length;
  const rest = run.rows.filter((row) => row.state === 'done' && row.judged === undefined);
  return (
    <>
      {broken.length > 0 && (
        <section className="panel" aria-label="Does not hold">
          <table className="plain-table">
            <tbody>
              {broken.map(({ first: { check, device, findings }, devices }) => (
                <tr key={`${check} ${device}`}>
                  <td className="mono" title={devices.join(', ')}>
                    {devices.length === 1 ? (
                      <Link to={`${pathOf('device', device)}?show=fleet`}>{device}</Link>
                    ) : (
                      fewOf(devices)
                    )}
                  </td>
                  <td className="mono">
                    <Link to={pathOf('check', check)}>{check}</Link>
                  </td>
                  <td>
                    <CheckState of="broken" />
                  </td>
                  <td className="mono">
                    {findings.map((line) => (
                      <div key={line}>{line}</div>
                    ))}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      )}
      {unknown.length > 0 && (
        <section className="panel" aria-label="Not known" style={{ marginTop: 14 }}>
          <table className="plain-table">
            <tbody>
              {unknown.map(({ why, checks, devices }) => (
                <tr key={`${why} ${checks.join(' ')}`}>
                  <td className="mono" title={devices.join(', ')}>
                    {fewOf(devices)}
                  </td>
                  <td className="mono" title={checks.join(', ')}>
                    {fewOf(checks)}
                  </td>
                  <td>
                    <CheckState of="unknown" />
                  </td>
                  <td className="second">{why}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      )}
      {holds > 0 && (
        <p>
          <CheckState of="holds" /> <span className="second">{holds} times, a check on a device each</span>
        </p>
      )}
      {rest.map((row) => (
        <p key={row.device}>
          <span className="mono">{row.device}</span> <Outcome of={row.outcome} />{' '}
          <span className="second">{row.detail}</span>
        </p>
      ))}
    </>
  );
}
